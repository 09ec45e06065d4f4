import { MenuItem, Stack, TextField } from '@mui/material';
import type { OwnField } from '@gather-lane/client';
import type { Typed } from './own-fields';

interface Schema {
  readonly enum?: string[];
  readonly maxLength?: number;
  readonly minimum?: number;
  readonly maximum?: number;
}

/** Inputs for fields of the developer's own, made from their schemas. */
export function FieldInputs({
  fields,
  typed,
  onChange,
}: {
  fields: readonly OwnField[];
  typed: Typed;
  onChange: (typed: Typed) => void;
}) {
  if (fields.length === 0) return null;
  return (
    <Stack direction="row" sx={{ gap: 1, flexWrap: 'wrap' }}>
      {fields.map((field) => (
        <FieldInput
          key={field.name}
          field={field}
          value={typed[field.name] ?? ''}
          onChange={(value) => onChange({ ...typed, [field.name]: value })}
        />
      ))}
    </Stack>
  );
}

const INPUT: Record<string, string> = {
  'integer': 'number',
  'number': 'number',
  'date': 'date',
  'date-time': 'datetime-local',
};

function FieldInput({ field, value, onChange }: { field: OwnField; value: string; onChange: (value: string) => void }) {
  const schema = field.schema as Schema;
  const choices = field.kind === 'boolean' ? ['true', 'false'] : schema.enum;
  const timed = field.kind === 'date' || field.kind === 'date-time';
  return (
    <TextField
      label={field.name}
      required={field.required}
      value={value}
      onChange={(event) => onChange(event.target.value)}
      select={choices !== undefined}
      type={INPUT[field.kind] ?? 'text'}
      title={field.description ?? undefined}
      helperText={field.description}
      sx={{ minWidth: 150, flex: '1 1 150px', maxWidth: 320 }}
      slotProps={{
        inputLabel: timed ? { shrink: true } : {},
        htmlInput: {
          ...(schema.maxLength !== undefined && { maxLength: schema.maxLength }),
          ...(field.kind === 'integer' && { step: 1 }),
          ...(field.kind === 'number' && { step: 'any' }),
          ...(schema.minimum !== undefined && { min: schema.minimum }),
          ...(schema.maximum !== undefined && { max: schema.maximum }),
          ...(field.kind === 'user' && { placeholder: 'id of a user' }),
        },
      }}
    >
      {choices && !field.required && (
        <MenuItem value="">
          <em>none</em>
        </MenuItem>
      )}
      {choices?.map((choice) => (
        <MenuItem key={choice} value={choice}>
          {choice}
        </MenuItem>
      ))}
    </TextField>
  );
}
