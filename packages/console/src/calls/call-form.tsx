import { Autocomplete, Box, Stack, Tab, Tabs, TextField, Typography } from '@mui/material';
import { bodySchema, followed, type ApiParameter, type ApiSchema, type FoundOperation } from '@gather-lane/core/calls';
import { useState } from 'react';
import { headersOf, readBody, type Draft } from './draft';
import type { KnownId } from './history';
import { choicesOf } from './schema-choices';
import { SchemaField } from './schema-field';
import type { Api } from './use-api';
import type { DraftFault } from './use-faults';

interface FormProps {
  readonly api: Api;
  readonly found: FoundOperation;
  readonly draft: Draft;
  readonly onChange: (draft: Draft) => void;
  readonly faults: readonly DraftFault[];
  readonly ids: readonly KnownId[];
}

/** Parameters and body, as fields or as JSON, each with what the service would say of it. */
export function CallForm({ api, found, draft, onChange, faults, ids }: FormProps) {
  const { operation } = found;
  const parameters = (operation.parameters ?? []).filter(({ in: where }) => where === 'path' || where === 'query');
  const headers = headersOf(found);
  const faultAt = (name: string) => faults.find(({ where }) => where === `parameter/${name}`)?.says;
  return (
    <Stack sx={{ gap: 1.5 }}>
      {parameters.map((parameter) => (
        <ParameterField
          key={parameter.name}
          parameter={parameter}
          value={draft.parameters[parameter.name] ?? ''}
          fault={(draft.parameters[parameter.name] ?? '') === '' ? undefined : faultAt(parameter.name)}
          ids={ids}
          onChange={(value) => onChange({ ...draft, parameters: { ...draft.parameters, [parameter.name]: value } })}
        />
      ))}
      {headers.map((name) => (
        <TextField
          key={name}
          label={name}
          value={draft.headers[name] ?? ''}
          placeholder={name === 'if-match' ? '"1"' : ''}
          onChange={(event) => onChange({ ...draft, headers: { ...draft.headers, [name]: event.target.value } })}
        />
      ))}
      {bodySchema(operation) !== null && (
        <BodyForm api={api} found={found} draft={draft} onChange={onChange} faults={faults} ids={ids} />
      )}
      {parameters.length === 0 && bodySchema(operation) === null && headers.length === 0 && (
        <Typography color="text.secondary">It takes nothing.</Typography>
      )}
    </Stack>
  );
}

function ParameterField({
  parameter,
  value,
  fault,
  ids,
  onChange,
}: {
  parameter: ApiParameter;
  value: string;
  fault: string | undefined;
  ids: readonly KnownId[];
  onChange: (value: string) => void;
}) {
  const { name, required, schema = {}, description } = parameter;
  const choices = choicesOf(schema);
  const offered = ids.filter(({ kind }) => kind === name || kind === '');
  const options = choices ?? (parameter.in === 'path' ? offered.map(({ id }) => id) : []);
  const labelOf = new Map(offered.map(({ id, label }) => [id, label]));
  return (
    <Autocomplete
      freeSolo
      size="small"
      value={value}
      inputValue={value}
      options={options}
      filterOptions={(all) => all}
      onInputChange={(_, next) => onChange(next)}
      renderOption={({ key, ...props }, option) => (
        <Box component="li" key={key} {...props} sx={{ display: 'block !important' }}>
          <Typography sx={{ lineHeight: 1.3, fontSize: 13.5 }}>
            {/^[0-9a-f]{8}-/.test(option) ? `…${option.slice(-6)}` : option}
          </Typography>
          <Typography variant="caption" color="text.secondary" noWrap component="div">
            {labelOf.get(option)}
          </Typography>
        </Box>
      )}
      renderInput={(params) => (
        <TextField
          {...params}
          label={`${name}${required || parameter.in === 'path' ? ' *' : ''}`}
          error={fault !== undefined}
          helperText={
            fault ??
            description ??
            (parameter.in === 'query' && schema.default !== undefined
              ? `${String(schema.default)} unless said`
              : undefined)
          }
        />
      )}
    />
  );
}

function BodyForm({ api, found, draft, onChange, faults, ids }: FormProps) {
  const [as, setAs] = useState<'fields' | 'json'>('fields');
  const schema = followed(api.document, bodySchema(found.operation)!.schema) ?? {};
  const properties = Object.entries((schema.properties as Record<string, ApiSchema> | undefined) ?? {});
  const read = readBody(draft.body);
  const value = ('value' in read && typeof read.value === 'object' && read.value !== null ? read.value : {}) as Record<
    string,
    unknown
  >;
  const set = (name: string, next: unknown) => {
    const { [name]: _, ...rest } = value;
    const whole = next === undefined ? rest : { ...value, [name]: next };
    onChange({ ...draft, body: Object.keys(whole).length > 0 ? JSON.stringify(whole, null, 2) : '' });
  };
  // What nobody has begun to write is not wrong yet.
  const told = draft.body.trim() === '' ? [] : faults.filter(({ where }) => !where.startsWith('parameter'));
  const at = (name: string) => told.find(({ where }) => where === `/${name}` || where.startsWith(`/${name}/`));
  const elsewhere = told.filter(
    ({ where }) => as === 'json' || !properties.some(([name]) => where === `/${name}` || where.startsWith(`/${name}/`)),
  );
  const required = (schema.required as string[] | undefined) ?? [];
  return (
    <Stack sx={{ gap: 1 }}>
      <Tabs
        value={as}
        onChange={(_, next: 'fields' | 'json') => setAs(next)}
        aria-label="The body"
        sx={{ 'minHeight': 34, '& .MuiTab-root': { minHeight: 34, py: 0.5 } }}
      >
        <Tab value="fields" label="Body as fields" />
        <Tab value="json" label="as JSON" />
      </Tabs>
      {as === 'json' ? (
        <TextField
          label="Body"
          multiline
          minRows={6}
          maxRows={18}
          value={draft.body}
          onChange={(event) => onChange({ ...draft, body: event.target.value })}
          error={told.length > 0}
          slotProps={{
            htmlInput: { spellCheck: false, style: { fontFamily: 'ui-monospace, monospace', fontSize: 13 } },
          }}
        />
      ) : (
        properties.map(([name, property]) => (
          <SchemaField
            key={name}
            name={name}
            schema={followed(api.document, property) ?? {}}
            required={required.includes(name)}
            value={value[name]}
            fault={at(name)?.says}
            ids={ids}
            onChange={(next) => set(name, next)}
          />
        ))
      )}
      {elsewhere.map(({ where, says }) => (
        <Typography key={`${where} ${says}`} variant="caption" color="error">
          {where === '' ? 'The body' : where.slice(1)} {says}
        </Typography>
      ))}
    </Stack>
  );
}
