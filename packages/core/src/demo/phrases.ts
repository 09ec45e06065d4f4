import type { Role } from './people.js';

/** What a post is about. */
export type Topic = 'locks' | 'moorings' | 'tow' | 'engine' | 'heroncount' | 'market' | 'towpath';

/** How often somebody of each role writes about each topic. */
export const TOPICS_OF: Record<Role, readonly Topic[]> = {
  crew: ['locks', 'moorings', 'moorings', 'tow', 'engine', 'engine', 'heroncount', 'market', 'towpath'],
  keeper: ['locks', 'locks', 'locks', 'locks', 'moorings', 'tow', 'towpath'],
  yard: ['engine', 'engine', 'engine', 'tow', 'locks'],
  heron: ['heroncount', 'heroncount', 'heroncount', 'towpath'],
  trader: ['market', 'market', 'market', 'moorings'],
  walker: ['towpath', 'towpath', 'heroncount', 'locks', 'market'],
};

/** Posts, by topic. */
export const POSTS: Record<Topic, readonly string[]> = {
  locks: [
    '{lock} is down to one paddle until {day}. Allow {n} minutes more and leave the bottom gates closed behind you. #locks',
    'Water is {n} cm below weir at {lock}. Deep boats: wait for the afternoon, we are letting some down. #locks #levels',
    'Whoever left the top gate open at {lock} last night drained half of {reach}. Please look back before you leave. #locks',
    'New balance beam fitted at {lock}. It is heavier than the old one, so lean, do not push. #locks',
    'Queue of {n} at {lock} just now, moving well. Tea on the lockside. #locks',
    'Debris across the cill at {lock}. Cleared by {time}, thank you @{who} for the grapple. #locks',
    '{lock} closes at {time} today for the divers. Opens again on {day}. #locks #closures',
    'Through {lock} with {boat} in eleven minutes, a record for us. #locks',
    'Leak in the chamber wall at {lock}. It holds, but do not share it with a second boat until {day}. #locks',
  ],
  moorings: [
    'Two spaces free at {place}, good for {n} m, rings and no pins needed. #moorings',
    'The visitor moorings at {place} are full already. Try the outside of the bend at {reach}. #moorings',
    'Moored at {place} under the willows. No signal, no neighbours, perfect. #moorings',
    'Shallow at the upstream end of {place}: we sat on something the size of a piano. #moorings #depth',
    'Swap: our winter mooring at {place} for one nearer Tidewick, December to March. Ask here. #moorings',
    'Water point at {place} is running again, slowly. Bring a book. #moorings #water',
    'Somebody has tied {boat} across both rings at {place}. Could you shuffle up? #moorings',
    'Quiet night at {place}. Frost on the ropes and not a soul about. #moorings',
  ],
  tow: [
    'Going down to Tidewick on {day} with power to spare. Happy to tow one boat from {place}. #tow',
    'Dead engine at {reach}, two adults and a parrot. Can anybody take us to the yard before {day}? #tow',
    'Towed {boat} from {place} to {lock} today. Long line, low revs, lots of waving. #tow',
    'If you tow: agree the signals first. We learnt that at {reach}, loudly. #tow',
    'Thank you @{who} for the tow past {lock} in that wind. The cake is on its way. #tow',
  ],
  engine: [
    'Raw water pump on {boat} gave up at {reach}. Anybody with an impeller, {n} mm, six blades? #engine',
    'The knocking was a loose coupling, {n} minutes and one skinned knuckle. #engine #repairs',
    'Changed the oil, found the missing spanner. #engine',
    'Blacking slots: one left on {day}, one in the week after. Call in at Upper Sallow. #blacking #engine',
    'Overheating? Look in the weed hatch first. That is {n} boats this week. #engine #weed',
    'Stern gland drips more than it should. Repack at {place} or limp on to the yard? #engine',
    'Fuel from the old tank at {place} has water in it. Drain your separator before you swear at the injectors. #engine',
    'New alternator on {boat}. The fridge hums, the lights are steady, the crew sings. #engine',
  ],
  heroncount: [
    'Sunday count: {n} herons between {place} and {place}, the most since spring. #heroncount',
    'A young heron at {lock}, standing on the beam as though it worked there. #heroncount',
    'Kingfisher at {reach} at {time}, twice. Worth the cold feet. #wildlife',
    'Otter prints in the mud below {lock}. Keep dogs close for a few days. #wildlife',
    'Please log herons with the time and the reach, not only "lots". #heroncount',
    'Swans nesting at {place}: give them the whole width and no wash. #wildlife',
    'Counted {n} at first light, and {n} again at dusk. The same ones? @{who} says not. #heroncount',
    'Bittern heard, not seen, in the reeds by {reach}. #wildlife #heroncount',
  ],
  market: [
    'Floating market at {place} on {day} from {time}. Bread, rope, coal, jars, second-hand windlasses. #market',
    'Sold out of the blue one by ten. More on {day} at {place}. #market',
    'We are tied up at {place} until {time}. Ring the bell on the bow. #market',
    'Looking for a space next to somebody who does not play the accordion. {place}, {day}. #market',
    'Coal delivered along {reach} on {day}. Put a bucket on the roof if you want a stop. #market #coal',
    'Soup of the day at {place}: leek, potato, and whatever @{who} brought. #market',
  ],
  towpath: [
    'Brambles cut back from {place} to {lock}. Walk it before they notice. #towpath',
    'The bench at {reach} is back, with a plank from {boat}. #towpath',
    'Towpath under water for about {n} m at {reach}. Boots or patience. #towpath',
    'Found: one windlass, one glove, one very polite spaniel, all at {lock}. #towpath #found',
    'Walked from {place} to {place} in the mist. {n} boats, all with smoke going straight up. #towpath',
    'Volunteers wanted on {day} at {place}: loppers and biscuits provided. #towpath',
  ],
};

/** Answers to comments, whatever they are about; `{to}` is who is answered. */
export const REPLIES: readonly string[] = [
  '@{to} when was that? We come through at {time}.',
  'The same here, @{to}.',
  'Since when? It was otherwise on {day}.',
  'Ask at {lock}, they know.',
  '@{to} and @{who} should compare notes.',
  'Then we turn round at {place}.',
  'That helps, thank you.',
  'Not for us: {n} minutes and no trouble at all.',
  '@{to} bring biscuits and we talk.',
  'I would not count on it before {day}.',
  'Good to know. We are {n} m and wide with it.',
  'Who told you that, @{to}?',
];

/** Comments, by the topic of the post that they answer. */
export const COMMENTS: Record<Topic, readonly string[]> = {
  locks: [
    'Thank you, that saved us an hour.',
    'Is it passable for 21 m?',
    'Still the same at {time}.',
    'We will wait at {place} then.',
    'It was fine this morning, both paddles.',
    'Seen. Passing it on to the boats behind us.',
    'Bring gloves, the windlass hole is worn.',
  ],
  moorings: [
    'On our way, one hour out.',
    'How deep is it near the bank?',
    'Taken one, the other is still free.',
    'Lovely spot. Mind the nettles.',
    'We stayed there in spring, very quiet.',
    'Is there a tap nearby?',
    'Sorry, that was us. Moved now.',
  ],
  tow: [
    'We can do that. Where exactly are you?',
    'Message us when you are past {lock}.',
    'Long line and cross straps, please.',
    'Good people. Safe travels.',
    'The parrot gets its own life jacket?',
  ],
  engine: [
    'Same here last year. It was the thermostat.',
    'I have one in the locker, find me at {place}.',
    'Photograph it before you take it apart.',
    'Bring it over, we will have a look.',
    'Check the belt first, always the belt.',
    'Glad it was only that!',
  ],
  heroncount: [
    'Wonderful. Added to the sheet.',
    'We had two more at {reach}.',
    'What time was that?',
    'Never seen one there before.',
    'The children were delighted.',
    'Counted the same from the other bank.',
  ],
  market: [
    'Please keep one for us!',
    'Do you take cards?',
    'Coming by water or by bike?',
    'The accordion is not that bad.',
    'See you there at {time}.',
    'Best loaf on the Cut.',
  ],
  towpath: [
    'Thank you all, it looks splendid.',
    'The spaniel is ours. On our way.',
    'We will bring a second pair of loppers.',
    'Walked it today, much better.',
    'Which side is the bench on?',
  ],
};

/** What fills the slots of a phrase, but for `{n}` and `{who}`. */
export const SLOTS = {
  lock: [
    'Tidewick Sea Lock',
    'Candle Lock',
    'Marrow Lock',
    'the Three Sisters',
    'Pennyfall Lock',
    'Dunlin Lock',
    'Barley Lock',
    'Oxbow Lock',
    'Wherry Top Lock',
    'Hob Lock',
    'Sallow Lock',
  ],
  reach: [
    'Long Reach',
    'Heron Reach',
    'the Cutting',
    'Brickfield Reach',
    'Mill Pound',
    'Swallow Bend',
    'the Narrows',
    'Fen Pound',
  ],
  place: [
    'Tidewick basin',
    'Candle Bridge',
    'Ropewalk',
    'Marrow Wharf',
    'Dunlin Green',
    'Barley Quay',
    'Oxbow Meadow',
    'the Maltings',
    'Hob Hill',
    'Upper Sallow',
  ],
  boat: [
    'Patient Griselda',
    'Second Breakfast',
    'The Slow Answer',
    'Bittersweet',
    'Tin Whistle',
    'Larkrise',
    'Old Argument',
    'Half a Sixpence',
  ],
  day: ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'],
  time: ['7:30', '9:00', '10:15', '11:00', '14:30', '15:45', '17:00', '18:20'],
} as const;
