import { Autocomplete, MenuItem, TextField } from '@mui/material';
import type { ApiSchema } from '@gather-lane/core/calls';
import { useState } from 'react';
import { choicesOf } from './schema-choices';
import type { KnownId } from './history';

interface FieldProps {
  readonly name: string;
  readonly schema: ApiSchema;
  readonly required: boolean;
  readonly value: unknown;
  readonly fault: string | undefined;
  readonly ids: readonly KnownId[];
  /** Undefined takes it out of the body. */
  readonly onChange: (value: unknown) => void;
}

/** One value of a body, as its schema says; what is no plain value is written as JSON. */
export function SchemaField({ name, schema, required, value, fault, ids, onChange }: FieldProps) {
  const label = `${name}${required ? ' *' : ''}`;
  const plain = plainOf(schema);
  const help = fault ?? (schema.description as string | undefined);
  const choices = choicesOf(plain);
  const shared = { label, error: fault !== undefined, helperText: help, fullWidth: true };
  if (choices)
    return (
      <TextField
        {...shared}
        select
        value={value === undefined ? '' : String(value)}
        onChange={(event) => onChange(chosen(event.target.value, plain))}
      >
        <MenuItem value="">left out</MenuItem>
        {choices.map((choice) => (
          <MenuItem key={choice} value={choice}>
            {choice}
          </MenuItem>
        ))}
      </TextField>
    );
  if (plain.type === 'integer' || plain.type === 'number')
    return (
      <TextField
        {...shared}
        value={value === undefined ? '' : String(value)}
        onChange={(event) => onChange(event.target.value === '' ? undefined : numberOr(event.target.value))}
        slotProps={{ htmlInput: { inputMode: 'decimal' } }}
      />
    );
  if (plain.format === 'uuid')
    return (
      <Autocomplete
        freeSolo
        size="small"
        inputValue={typeof value === 'string' ? value : ''}
        options={ids.map(({ id }) => id)}
        onInputChange={(_, next) => onChange(next === '' ? undefined : next)}
        renderInput={(params) => <TextField {...params} {...shared} />}
      />
    );
  if (plain.type === 'string')
    return (
      <TextField
        {...shared}
        value={typeof value === 'string' ? value : ''}
        multiline={'x-characters' in plain}
        type={/password/i.test(name) ? 'password' : 'text'}
        autoComplete="off"
        onChange={(event) => onChange(event.target.value === '' ? undefined : event.target.value)}
      />
    );
  return <JsonField shared={shared} value={value} onChange={onChange} />;
}

function JsonField({
  shared,
  value,
  onChange,
}: {
  shared: { helperText: string | undefined; error: boolean };
  value: unknown;
  onChange: (value: unknown) => void;
}) {
  const [text, setText] = useState(value === undefined ? '' : JSON.stringify(value));
  const [broken, setBroken] = useState(false);
  const write = (next: string) => {
    setText(next);
    try {
      onChange(next.trim() === '' ? undefined : (JSON.parse(next) as unknown));
      setBroken(false);
    } catch {
      setBroken(true);
    }
  };
  return (
    <TextField
      {...shared}
      multiline
      value={text}
      placeholder="JSON"
      error={shared.error || broken}
      helperText={broken ? 'is not well-formed JSON yet: it is sent as it was before' : shared.helperText}
      onChange={(event) => write(event.target.value)}
    />
  );
}

/** The schema of a value that may be null besides. */
function plainOf(schema: ApiSchema): ApiSchema {
  const choices = (schema.anyOf as ApiSchema[] | undefined)?.filter(({ type }) => type !== 'null');
  return choices?.length === 1 ? { ...choices[0], description: schema.description ?? choices[0]!.description } : schema;
}

const chosen = (text: string, { type }: ApiSchema): unknown =>
  text === '' ? undefined : type === 'boolean' ? text === 'true' : text;
/** What is no number is sent as it is written, for the service to refuse. */
const numberOr = (text: string): unknown => (/^-?\d+(?:\.\d+)?$/.test(text) ? Number(text) : text);
