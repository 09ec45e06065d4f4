/** The password of every demo user: marked as such in the database, refused outside the demo. */
export const DEMO_PASSWORD = 'tidewick-demo';

/** The three people whom the demo introduces, and what each is good for. */
export const DEMO_MAIN_USERS: readonly { handle: string; who: string }[] = [
  { handle: 'odile', who: 'a crew that follows 24 others' },
  { handle: 'bram', who: 'a lock keeper, widely followed' },
  { handle: 'wren', who: 'new, follows nobody' },
];

/** What somebody does on the Wherry Cut; it decides what they write about. */
export type Role = 'crew' | 'keeper' | 'yard' | 'heron' | 'trader' | 'walker';

/** Somebody made up. */
export interface Person {
  readonly handle: string;
  readonly name: string;
  readonly role: Role;
}

const NAMES: Record<Role, string> = {
  crew:
    'odile:Odile Fenwright, tamsin:Tamsin Oake, jorun:Jorun Halloway, peverell:Peverell Stokes, amity:Amity Brunt, ' +
    'caspian_w:Caspian Wray, lowen:Lowen Trethick, marigold:Marigold Sykes, ansel:Ansel Quayle, imke:Imke Verhoef, ' +
    'dunstan:Dunstan Pell, soraya:Soraya Mistry, ewart:Ewart Linley, nessa:Nessa Kilbride, tobiah:Tobiah Crane, ' +
    'yusra:Yusra Danso, fenella:Fenella Marsh, orrin:Orrin Tull, petra_b:Petra Bellwood, hal_and_ida:Hal and Ida Rusk, ' +
    'sunniva:Sunniva Aas, gideon:Gideon Frost, wren:Wren Alder',
  keeper:
    'bram:Bram Oosterlock, hesper:Hesper Dunmow, ludo:Ludo Carrick, merrin:Merrin Tapp, oswin:Oswin Garrad, ' +
    'pilar:Pilar Noakes, keziah:Keziah Thorne, arno:Arno Wick, winifred:Winifred Sloe',
  yard:
    'sallow_yard:Upper Sallow Boatyard, edda:Edda Ironmonger, cuthbert:Cuthbert Vane, rosalba:Rosalba Finch, ' +
    'dai:Dai Penhallow, mungo:Mungo Strake, bettina:Bettina Kroll',
  heron:
    'heron_count:Wherry Cut Heron Count, isolde:Isolde Rook, barnaby:Barnaby Teale, clemence:Clemence Ouse, ' +
    'fritha:Fritha Snow, ravi_k:Ravi Kestrel, moss:Moss Hartley',
  trader:
    'floating_market:Tidewick Floating Market, cheese_boat:The Cheese Boat, agnes:Agnes Wharton, coal_and_rope:Coal and Rope, ' +
    'philippa:Philippa Loaf, zeb:Zeb Candlewick, ottoline:Ottoline Jarre',
  walker:
    'towpath_tom:Tom Ambler, gwen:Gwen Rushmere, silas:Silas Reed, beatrix:Beatrix Holm, noor:Noor Ashby, ' +
    'elspeth:Elspeth Weir, jonty:Jonty Gale',
};

/** Everybody on the Wherry Cut: sixty people, those of one role together. */
export const PEOPLE: readonly Person[] = Object.entries(NAMES).flatMap(([role, list]) =>
  list.split(', ').map((entry) => {
    const [handle, name] = entry.split(':') as [string, string];
    return { handle, name, role: role as Role };
  }),
);

/** A sentence or two about somebody of each role; `{…}` are filled like those of the posts. */
export const BIOS: Record<Role, readonly string[]> = {
  crew: [
    'Living aboard {boat}. Mostly between {place} and {place}.',
    '{boat}, 57 feet, one dog, too many plants.',
    'Slow travel on the Wherry Cut. Kettle always on.',
  ],
  keeper: ['Keeper at {lock}. Ask before you wind.', 'Looking after {lock} and the reach below it.'],
  yard: ['Engines, blacking, welding. Dry dock at Upper Sallow.', 'Diesel, stern gear and patience.'],
  heron: ['We count herons, every Sunday at first light.', 'Birds of the Wherry Cut, one reach at a time.'],
  trader: [
    'Selling from the water at {place} and wherever we tie up.',
    'Find us on market days. Cash, card, or a good story.',
  ],
  walker: ['Walking the towpath, end to end and back.', 'Volunteer. Litter, brambles, benches.'],
};
