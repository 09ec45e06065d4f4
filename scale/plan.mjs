// What it takes to serve so many people, on paper: sums of what each act costs on this machine, each figure with its source.
import { parseArgs } from 'node:util';
import { ACTS, capacityFor, readCount } from '../packages/core/dist/index.js';
import { printTable } from '../bench/table.mjs';
import { knownCosts, measureCosts } from './costs.mjs';

const OPTIONS = {
  'users': { default: '1M', says: 'people who have an account' },
  'active': { default: '0.2', says: 'of them on a day, from 0 to 1' },
  'pages': { default: '20', says: 'pages of a feed that one of these reads on a day' },
  'posts-per-day': { default: '', says: 'posts; unless said half of one for each who is active' },
  'comments-per-day': { default: '', says: 'comments; unless said one for each post' },
  'reactions-per-day': { default: '', says: 'reactions; unless said eight for each post' },
  'follows-per-day': { default: '', says: 'follows and their ends; unless said one for ten who are active' },
  'peak': { default: '3', says: 'how much more there is in the busiest hour' },
  'years': { default: '2', says: 'for how long what is made is kept' },
  'cores': { default: '16', says: 'cores of a machine' },
  'speed': { default: '1', says: 'how much quicker such a core is than one here' },
  'busy': { default: '0.6', says: 'how busy a machine may be, from 0 to 1' },
  'log-mb': { default: '100', says: 'megabytes of log a second that a server can write and send on' },
};
const USAGE = `npm run scale -- plan [--measure] ${Object.entries(OPTIONS)
  .map(([name, { default: value, says }]) => `\n  --${name} ${value || 'N'}: ${says}`)
  .join('')}\n  --measure: measure anew what each act costs here\nCounts may end with k, M, G or T.`;

/** @returns whether it could be said */
export async function plan(args) {
  let values;
  try {
    values = parseArgs({
      args,
      options: {
        measure: { type: 'boolean', default: false },
        help: { type: 'boolean', default: false },
        ...Object.fromEntries(
          Object.entries(OPTIONS).map(([name, { default: value }]) => [name, { type: 'string', default: value }]),
        ),
      },
    }).values;
  } catch (error) {
    console.error(`${error.message}\n\n${USAGE}`);
    return false;
  }
  if (values.help) {
    console.log(USAGE);
    return true;
  }
  const given = {};
  for (const name of Object.keys(OPTIONS)) {
    if (values[name] === '') continue;
    given[name] = readCount(values[name]);
    if (given[name] === null || (given[name] === 0 && ['cores', 'speed', 'busy', 'log-mb'].includes(name))) {
      console.error(
        `--${name} must be a count above 0 such as ${OPTIONS[name].default || '20M'}, but is "${values[name]}".\n\n${USAGE}`,
      );
      return false;
    }
  }
  if (given.active > 1 || given.busy > 1) {
    console.error(`--active and --busy are parts of a whole: from 0 to 1.\n\n${USAGE}`);
    return false;
  }
  const active = given.users * given.active;
  const posts = given['posts-per-day'] ?? active / 2;
  const perDay = {
    pages: active * given.pages,
    posts,
    comments: given['comments-per-day'] ?? posts,
    reactions: given['reactions-per-day'] ?? posts * 8,
    follows: given['follows-per-day'] ?? active / 10,
  };
  const measured = values.measure ? await measureCosts() : await knownCosts();
  const machine = {
    cores: given.cores,
    speed: given.speed,
    busyAtMost: given.busy,
    logPerSecond: given['log-mb'] * 1e6,
  };
  const found = capacityFor({ perDay, peak: given.peak, keptDays: given.years * 365 }, measured.costs, machine);

  const ms = (n) => n.toFixed(2);
  const source = (act) =>
    act === 'pages'
      ? '--users, --active, --pages'
      : values[`${act}-per-day`]
        ? `--${act}-per-day`
        : 'taken from who is active';
  printTable(
    `What is done, and what each costs. Measured on ${measured.at.slice(0, 10)}, ${measured.cores} × ${measured.model}, ${measured.data} data, 32 callers (npm run scale -- plan --measure)`,
    [
      'act',
      'a day',
      'busiest, a second',
      'service ms',
      'primary ms',
      'standby ms',
      'log bytes',
      'disk bytes',
      'source of how often',
    ],
    ACTS.map((act) => {
      const { service, primary, standby, log, disk } = measured.costs[act];
      return [
        act,
        count(perDay[act]),
        count(found.perSecond[act]),
        ms(service),
        ms(primary),
        ms(standby),
        count(log),
        count(disk),
        source(act),
      ];
    }),
  );
  printTable(
    `\nWhat saturates first, in the busiest hour (--peak ${values.peak}), on a machine of ${values.cores} cores, each ${values.speed} times as quick as here (--speed), ${values.busy} of it used (--busy)`,
    ['what', 'needs', 'one has', 'of one'],
    found.loads.map(({ what, needed, has }) => {
      const [unit, by] = what === 'log' ? ['MB/s', 1e6] : ['cores', 1];
      return [
        what,
        `${(needed / by).toFixed(1)} ${unit}`,
        `${(has / by).toFixed(1)} ${unit}`,
        `${((needed / has) * 100).toFixed(0)} %`,
      ];
    }),
  );
  printTable(
    '\nSo it takes',
    ['what', 'how many', 'from'],
    [
      ['processes of the service', count(found.processes), 'service ms, a core each, --busy'],
      [
        'primaries',
        count(found.shards),
        'primary ms without pages, log bytes (--log-mb); more than one: docs/beyond-one-machine.md',
      ],
      ['standbys that are read', count(found.standbys), 'standby ms; 0 where one server does all'],
      ['log a day', `${count(found.logPerDay)}B`, 'log bytes'],
      [
        'disk',
        `${count(found.disk)}B`,
        `disk bytes, ${values.years} years (--years), without pictures, copies and standbys`,
      ],
    ],
  );
  console.log(
    '\nThese are sums: what waits for what, caches that no longer hold what is read, and what grows with the data are not in them.',
  );
  return true;
}

/** A figure as people say it. */
function count(n) {
  const [, factor, sign] = [
    [1e12, 'T'],
    [1e9, 'G'],
    [1e6, 'M'],
    [1e3, 'k'],
  ].reduce((found, [factor, sign]) => (found[1] === 1 && n >= factor ? [null, factor, sign] : found), [null, 1, '']);
  const value = n / factor;
  return `${value >= 100 || (factor === 1 && Number.isInteger(value)) ? Math.round(value) : value.toFixed(1)}${sign && ` ${sign}`}`;
}
