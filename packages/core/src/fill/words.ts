const words = (text: string): readonly string[] => text.trim().split(/\s+/);

/** First names: short, so that a handle made of one has room for a number. */
export const FIRST_NAMES = words(`
  Ada Alva Amity Anouk Arno Asha Bela Bram Bryn Cato Cleo Cyra Dara Dirk Edda Elke Enid Esme Ezra Faye Finn Freya
  Gwen Hal Hana Hesper Ida Ilse Imke Inga Iris Ivo Jago Joss Juno Kai Keir Kit Lark Lena Levi Liv Lorna Ludo Maja
  Mara Merrin Milo Moss Nadia Nessa Nico Noor Odile Orla Oswin Otis Pia Quill Rafe Remy Rhea Rosa Ruth Sanne Silas
  Sofi Suki Tamsin Tove Ula Uma Vera Wilf Wren Yara Yusra Zeb Zoe`);

/** Last names. */
export const LAST_NAMES = words(`
  Alder Ambler Ashby Barge Beck Bellwood Brook Brunt Candle Carrick Crane Danso Dunmow Eyot Fenwright Finch Ford
  Frost Garrad Gale Halloway Hartley Hatch Holm Ironmonger Kestrel Kilbride Kroll Linley Loaf Marsh Meadow Mistry
  Noakes Oake Ouse Pell Penhallow Pool Quayle Reed Rook Rushmere Rusk Sallow Sedge Sloe Snow Stokes Strake Sykes
  Tapp Teale Thorne Tull Vane Wade Weir Wharton Wick Willow Wray`);

/** Beginnings and ends of the words that posts gather under. */
export const HASHTAG_BEGINNINGS = words(`
  amber april autumn bitter black blue brass bright broken brown candle chalk clear copper deep dusk early east
  far first frost green grey half heron high ivory june late little long low marsh mist morning mud north old
  open pale quiet red reed river rust salt silver slow south spring still summer teal tidal upper west white wild
  willow winter yellow`);
/** Ends of those words. */
export const HASHTAG_ENDS = words(`
  bank bench boat bread bridge cabin coal count cut day days depth engine feet field fire gate garden ground hatch
  hour hull jar keeper lamp light line lock lunch map market mile mooring night oar paint path pool post rain reach
  rope sail shed shelf sluice song stop stove swan table tea tide tow track walk wash watch water weir wind yard`);

/** What people say of themselves. */
export const LINES: readonly string[] = [
  'Slow mornings, long walks, strong tea.',
  'Here for the birds.',
  'I mend things that others throw away.',
  'Mostly afloat.',
  'Collects maps of places that have changed.',
  'Asks too many questions.',
  'Bread, boats, books.',
  'New here. Be kind.',
];
