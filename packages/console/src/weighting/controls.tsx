import { Autocomplete, Box, Button, Card, Slider, Stack, TextField, Typography } from '@mui/material';
import { useState } from 'react';
import { useSession } from '../session/session';
import { halfLifeAt, isSame, sliderOf, type Numbers } from './numbers';
import { sayDuration } from '@gather-lane/words';

const FURTHEST = 10;

/** Sliders and numbers for a weighting, and in whose feed it is tried. */
export function Controls({
  numbers,
  inForce,
  viewer,
  onNumbers,
  onViewer,
  onAdopt,
}: {
  numbers: Numbers;
  inForce: Numbers;
  viewer: string;
  onNumbers: (next: Numbers) => void;
  onViewer: (handle: string) => void;
  onAdopt: () => void;
}) {
  const { about } = useSession();
  const [typed, setTyped] = useState(viewer);
  const same = isSame(numbers, inForce);
  const kinds = [
    ...new Set(['comment', ...(about?.reactions ?? []).map(({ name }) => name), ...Object.keys(numbers.weights)]),
  ];
  return (
    <Card component="form" sx={{ p: 2 }} onSubmit={(event) => event.preventDefault()}>
      <Stack sx={{ gap: 1.25 }}>
        <Autocomplete
          freeSolo
          size="small"
          options={about?.demo?.users.map(({ handle }) => handle) ?? []}
          value={viewer}
          inputValue={typed}
          onInputChange={(_, text) => setTyped(text.replace(/^@/, ''))}
          onChange={(_, handle) => onViewer((handle ?? '').replace(/^@/, ''))}
          onBlur={() => onViewer(typed)}
          renderInput={(props) => <TextField {...props} label="In the feed of" />}
        />
        <Line
          label="Half-life"
          said={sayDuration(numbers.halfLifeMs)}
          help="How much time a doubling of engagement is worth"
          value={sliderOf(numbers.halfLifeMs)}
          min={0}
          max={100}
          step={1}
          onChange={(place) => onNumbers({ ...numbers, halfLifeMs: halfLifeAt(place) })}
        />
        <Line
          label="Base"
          help="Damps the first few acts"
          value={numbers.base}
          min={0.5}
          max={20}
          step={0.5}
          onChange={(base) => onNumbers({ ...numbers, base })}
        />
        {kinds.map((kind) => (
          <Line
            key={kind}
            label={`Weight of ${kind}`}
            value={numbers.weights[kind] ?? 0}
            min={-FURTHEST}
            max={FURTHEST}
            step={0.5}
            onChange={(weight) => onNumbers({ ...numbers, weights: { ...numbers.weights, [kind]: weight } })}
          />
        ))}
        <Stack direction="row" sx={{ gap: 1, mt: 0.5 }}>
          <Button variant="contained" disabled={same} onClick={onAdopt}>
            Adopt…
          </Button>
          <Button disabled={same} onClick={() => onNumbers(inForce)}>
            As in force
          </Button>
        </Stack>
      </Stack>
    </Card>
  );
}

/** A slider with its number beside; where the number is no plain one, what it says. */
function Line({
  label,
  said,
  help,
  value,
  min,
  max,
  step,
  onChange,
}: {
  label: string;
  said?: string;
  help?: string;
  value: number;
  min: number;
  max: number;
  step: number;
  onChange: (value: number) => void;
}) {
  return (
    <Box>
      <Stack direction="row" sx={{ justifyContent: 'space-between', alignItems: 'baseline' }}>
        <Typography variant="body2" sx={{ fontWeight: 600 }}>
          {label}
        </Typography>
        {said !== undefined ? (
          <Typography sx={{ fontVariantNumeric: 'tabular-nums' }}>{said}</Typography>
        ) : (
          <TextField
            variant="standard"
            type="number"
            value={value}
            onChange={(event) => event.target.value !== '' && onChange(Number(event.target.value))}
            slotProps={{
              htmlInput: {
                'step': 'any',
                'aria-label': `${label}, as a number`,
                'style': { textAlign: 'right', width: '4.5rem' },
              },
            }}
          />
        )}
      </Stack>
      {help && (
        <Typography variant="caption" color="text.secondary" component="div">
          {help}
        </Typography>
      )}
      <Slider
        size="small"
        aria-label={label}
        value={Math.min(max, Math.max(min, value))}
        min={min}
        max={max}
        step={step}
        getAriaValueText={() => said ?? String(value)}
        {...(min < 0 && { track: false, marks: [{ value: 0 }] })}
        onChange={(_, next) => onChange(next)}
      />
    </Box>
  );
}
