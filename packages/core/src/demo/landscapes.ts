import { DemoRandom } from './random.js';

/** A made-up view along the Wherry Cut: an SVG, and what it shows. */
export interface Landscape {
  readonly svg: string;
  readonly alt: string;
}

const SKIES = [
  { when: 'at dawn', top: '#f3c9a5', foot: '#fbeee0', water: '#c9b7a8', sun: '#fff3d6' },
  { when: 'at noon', top: '#a9cfe3', foot: '#eef6f8', water: '#8fb6bd', sun: '#fffdf0' },
  { when: 'in the rain', top: '#8a989c', foot: '#c4cccb', water: '#7c8c8c', sun: '#d9dedc' },
  { when: 'at dusk', top: '#5b5f86', foot: '#e5a981', water: '#7a6a78', sun: '#f6cf9b' },
];
const HILLS = ['#7d9a86', '#5f8272', '#43695f'];
const SHAPES = [
  { name: 'a lock gate', width: 1200, height: 800 },
  { name: 'a moored boat', width: 1200, height: 900 },
  { name: 'a bridge', width: 1600, height: 700 },
  { name: 'reeds and a heron', width: 900, height: 1200 },
] as const;

/** The view of a seed: the same every time. */
export function makeLandscape(seed: number): Landscape {
  const random = new DemoRandom(seed);
  const sky = SKIES[seed % SKIES.length]!;
  const { name, width, height } = SHAPES[Math.floor(seed / SKIES.length) % SHAPES.length]!;
  const bank = height * 0.62;
  const between = (low: number, high: number) => low + random.float() * (high - low);
  const hills = HILLS.map((colour, i) => {
    const base = bank - height * (0.22 - i * 0.07);
    const points = Array.from(
      { length: 9 },
      (_, j) => `${(width * j) / 8},${Math.round(base + between(-0.06, 0.06) * height)}`,
    );
    return `<polygon fill="${colour}" points="0,${bank} ${points.join(' ')} ${width},${bank}"/>`;
  });
  const ripples = Array.from({ length: 26 }, () => {
    const [x, y, length] = [between(0, width), between(bank + 10, height), between(30, 160)];
    return `<line x1="${x.toFixed(0)}" y1="${y.toFixed(0)}" x2="${(x + length).toFixed(0)}" y2="${y.toFixed(0)}" stroke="#fff" stroke-opacity=".28" stroke-width="3"/>`;
  });
  const svg = `<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="${height}">
<defs><linearGradient id="sky" x1="0" y1="0" x2="0" y2="1"><stop offset="0" stop-color="${sky.top}"/><stop offset="1" stop-color="${sky.foot}"/></linearGradient></defs>
<rect width="100%" height="100%" fill="url(#sky)"/>
<circle cx="${(width * between(0.2, 0.8)).toFixed(0)}" cy="${(height * 0.24).toFixed(0)}" r="${(height * 0.06).toFixed(0)}" fill="${sky.sun}"/>
${hills.join('\n')}
<rect y="${bank}" width="100%" height="${height - bank}" fill="${sky.water}"/>
${ripples.join('\n')}
${shape(name, width, height, bank)}
</svg>`;
  return { svg, alt: `${name[0]!.toUpperCase()}${name.slice(1)} on the canal ${sky.when}` };
}

function shape(name: (typeof SHAPES)[number]['name'], width: number, height: number, bank: number): string {
  const x = width * 0.36;
  switch (name) {
    case 'a lock gate':
      return `<rect x="${x}" y="${bank - 90}" width="${width * 0.28}" height="180" fill="#4a3b2c"/><rect x="${x - 60}" y="${bank - 110}" width="${width * 0.36}" height="22" fill="#ece7da"/>`;
    case 'a moored boat':
      return `<path d="M${x - 120} ${bank + 60} h${width * 0.42} l-40 70 h-${width * 0.36} z" fill="#1f6f6b"/><rect x="${x - 40}" y="${bank + 5}" width="${width * 0.26}" height="58" fill="#b8862b"/>`;
    case 'a bridge':
      return `<path d="M0 ${bank} Q ${width / 2} ${bank - 330} ${width} ${bank} V ${bank + 40} Q ${width / 2} ${bank - 210} 0 ${bank + 40} z" fill="#8d7f70"/>`;
    case 'reeds and a heron': {
      const reeds = Array.from(
        { length: 22 },
        (_, i) =>
          `<path d="M${i * 16 + 20} ${height} q 12 -190 ${i % 2 ? 26 : -10} -330" stroke="#3f5a3c" stroke-width="6" fill="none"/>`,
      );
      return `${reeds.join('')}<path d="M${width * 0.62} ${bank + 190} v-170 q 10 -70 -60 -110 q 80 10 96 80 q 60 60 10 110 z" fill="#6d7d86"/><path d="M${width * 0.62 - 60} ${bank - 90} l-70 10" stroke="#b8862b" stroke-width="9"/>`;
    }
  }
}
