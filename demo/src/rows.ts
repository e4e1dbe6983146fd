import { addDays, addMonths, daysBetween } from '@heathridge/core/values';
import { dice, type Dice } from './random';

/** Rows as the file stores them: money and decimals in whole units, ticks as 0 or 1. */
export type Rows = Readonly<Record<string, readonly (readonly (string | number | null)[])[]>>;

export const SCHOOLS =
  'Harrow Lane Primary|Marchfield High|Tolver Bridge Academy|Ansty Vale School|Pellwood Junior|Pellwood Infants|Long Causey Infants|Dunmere College|Oakenshaw Primary|Saint Orrin’s School|Quarry Hill High|Bramling Juniors|Wetherleigh Academy|Cold Ashby Middle|Thornley Park|Merrowdown Grammar|East Lidden Primary|Fernhollow School|Kingsmere Lower|Rookery Lane|Stonebeck High|Underwood Music Centre|Vale of Lidden Sixth Form'.split(
    '|',
  );
const DISTRICTS = ['Causey', 'Dunmere', 'Lidden', 'Merrow', 'Tolver'];
const FAMILIES = ['Brass', 'Woodwind', 'Strings', 'Percussion', 'Keyboard', 'Plucked'];
const KINDS: readonly (readonly [string, number, number])[] = [
  ['B-flat cornet', 1, 1350],
  ['Trumpet', 1, 1400],
  ['Tenor horn', 1, 1500],
  ['French horn', 1, 2400],
  ['Trombone', 1, 1450],
  ['Euphonium', 1, 2600],
  ['Tuba', 1, 3200],
  ['Flute', 2, 1200],
  ['Clarinet', 2, 1250],
  ['Oboe', 2, 2200],
  ['Bassoon', 2, 3400],
  ['Alto saxophone', 2, 1900],
  ['Tenor saxophone', 2, 2300],
  ['Piccolo', 2, 1100],
  ['Violin 1/2', 3, 900],
  ['Violin 3/4', 3, 950],
  ['Violin 4/4', 3, 1050],
  ['Viola 14″', 3, 1150],
  ['Viola 15″', 3, 1200],
  ['Cello 1/2', 3, 1800],
  ['Cello 4/4', 3, 2100],
  ['Double bass', 3, 2900],
  ['Snare drum', 4, 800],
  ['Glockenspiel', 4, 700],
  ['Stage piano', 5, 2700],
  ['Accordion', 5, 2000],
  ['Classical guitar', 6, 850],
  ['Lever harp', 6, 3900],
];
export const SURNAMES =
  'Oduya|Varga|Okell|Tremayne|Ashdown|Leck|Bellweather|Castellane|Dunmore|Eversley|Fairbrook|Garrowby|Hollins|Iversen|Jessamy|Kettering|Lindqvist|Marwood|Nyberg|Ormsby|Pascoe|Quennell|Rastrick|Selwyn|Thackray|Underhay|Vasquez|Whitlam|Yelland|Zielinska|Abara|Bhatt|Chowdry|Dębska|Ekström|Farouk|Gómez|Haddad|Ibarra|Joshi'.split(
    '|',
  );
export const FIRST =
  'Temi|Sade|Ilse|Bram|Mara|Tobin|Ada|Bea|Caleb|Dora|Elin|Finn|Gwen|Hugo|Isla|Jonas|Kit|Lena|Milo|Nell|Otis|Pia|Quinn|Rosa|Seth|Tessa|Una|Vince|Wren|Yara|Zoë|Amir|Bela|Cora|Dilip|Esme|Faye|Gus|Hana|Ivo'.split(
    '|',
  );
const MAKERS = ['Aldgate & Finch', 'Corvell', 'Halden', 'Meridew', 'Osterlind', 'Pellar', 'Strand & Vey'];
const CONDITIONS = ['New', 'Good', 'Good', 'Good', 'Worn', 'Worn', 'Needs repair', 'Retired'];
const METHODS = ['Card', 'Card', 'Transfer', 'Transfer', 'Cash', 'Cheque'];
const TECHNICIANS = [
  'Ilse Varga',
  'Bram Okell',
  'Noor Haddad',
  'Petra Lindqvist',
  'Owen Thackray',
  'Jules Pascoe',
  'Wanda Zielinska',
];
/** Has begun this month, with nothing on her bench yet; she mends brass. */
const NEWCOMER = 'Runa Feldt';
const PARTS =
  'Cork grease|Valve oil|Water key cork|Pad set, flute|Pad set, clarinet|Pad set, saxophone|Bow rehair|Bridge, violin|Bridge, cello|String set, violin|String set, viola|String set, cello|String set, bass|Peg, rosewood|Tailpiece|Fine tuner|Chin rest|End pin|Sound post|Mouthpiece, cornet|Mouthpiece, trombone|Valve spring|Valve felt|Slide grease|Lyre screw|Spit valve spring|Ligature|Reed, clarinet 2|Reed, saxophone 2½|Reed, oboe|Crook cork|Key spring|Drum head 14″|Snare wires|Hinge, case|Latch, case|Handle, case|Accordion strap|Harp string E|Guitar string set'.split(
    '|',
  );
const FAULTS = [
  'Leaks from the lower joint.',
  'Second valve sticks.',
  'Bridge has slipped.',
  'Slide is dented near the crook.',
  'Two keys do not return.',
  'Buzzes on low notes.',
  'Peg slips when tuned.',
  'Case latch is broken.',
  'Sound post has fallen.',
  'Pads are worn through.',
];
const WORK = [
  'Clean and oil',
  'Replace pads',
  'Refit bridge',
  'Straighten slide',
  'Regulate keys',
  'Rehair bow',
  'Solder brace',
  'Fit new strings',
  'Repair case',
  'Free slides',
];

const past = (date: string, days: number): string => addDays(date, -days)!;

/** The demo's rows, the same for the same day: `today` is where its dates end. */
export function demoRows(today: string): Rows {
  const d = dice(20261104);
  const players = Array.from({ length: 1204 }, (_, i) => {
    const [surname, first] = [d.pick(SURNAMES), d.pick(FIRST)];
    const email = d.chance(0.7) ? `${plain(first)}.${plain(surname)}${i % 97}@players.example` : null;
    return [
      i + 1,
      surname,
      first,
      d.chance(0.94) ? d.whole(1, SCHOOLS.length) : null,
      past(today, d.whole(7 * 365, 19 * 365)),
      d.chance(0.85) ? phone(d) : null,
      email,
      d.chance(0.88) ? 1 : 0,
      `${plain(surname).charAt(0).toUpperCase()}-${1000 + i}`,
    ];
  });
  const instruments = Array.from({ length: 862 }, (_, i) => {
    const kind = d.whole(1, KINDS.length);
    const value = Math.round((KINDS[kind - 1]![2] * d.whole(20, 60)) / 500) * 500;
    return [
      i + 1,
      kind,
      d.pick(MAKERS),
      d.chance(0.93) ? `${d.pick(['AF', 'CV', 'HL', 'MD'])}${String(10000 + i * 7)}` : null,
      past(today, d.whole(200, 4200)),
      value,
      d.pick(CONDITIONS),
      d.chance(0.1) ? 'Spare case in the back store.' : null,
    ];
  });
  const hires: (string | number | null)[][] = [];
  const payments: (string | number | null)[][] = [];
  const span = 1900;
  for (let i = 0; i < 3918; i++) {
    const instrument = d.pick(instruments);
    const hiredOn = past(today, Math.max(1, Math.round(span - (i / 3918) * span + d.whole(-3, 3))));
    const dueBack = addMonths(hiredOn, d.pick([3, 6, 6, 9, 12]))!;
    const late = daysBetween(dueBack, today);
    const returned = late > 120 ? true : late > 0 ? d.chance(0.62) : d.chance(0.25);
    const length = Math.max(
      2,
      Math.min(daysBetween(hiredOn, dueBack) + d.whole(-20, 12), daysBetween(hiredOn, today)),
    );
    const returnedOn = returned ? addDays(hiredOn, length)! : null;
    const fee = KINDS[(instrument[1] as number) - 1]![2];
    hires.push([
      1000 + i,
      d.whole(1, players.length),
      instrument[0]!,
      hiredOn,
      dueBack,
      returnedOn,
      fee,
      d.chance(0.08) ? 'Strap and stand lent too.' : null,
    ]);
    const until = returnedOn ?? today;
    for (let month = 0; month < 12 && payments.length < 9377; month++) {
      const paidOn = addDays(addMonths(hiredOn, month)!, d.whole(0, 4))!;
      if (paidOn > until || paidOn > today || d.chance(0.42)) break;
      payments.push([
        payments.length + 1,
        1000 + i,
        paidOn,
        d.pick(METHODS),
        fee,
        month === 0 ? 'first month' : null,
      ]);
    }
  }
  const repairs = Array.from({ length: 640 }, (_, i) => {
    const broughtIn = past(today, Math.max(1, Math.round(1500 - (i / 640) * 1500)));
    const done = i < 600 ? addDays(broughtIn, d.whole(1, 30))! : null;
    const finished = done !== null && done <= today;
    return [
      i + 1,
      d.pick(instruments)[0]!,
      d.chance(0.96) ? d.whole(1, TECHNICIANS.length) : null,
      broughtIn,
      finished ? done : null,
      finished ? 'Done' : d.pick(['Waiting', 'On the bench', 'Waiting for parts']),
      d.pick(FAULTS),
    ];
  });
  const lines = Array.from({ length: 2071 }, (_, i) => [
    i + 1,
    d.whole(1, repairs.length),
    d.chance(0.55) ? d.whole(1, PARTS.length) : null,
    d.pick(WORK),
    d.chance(0.8) ? d.whole(1, 16) * 25 : null,
    d.whole(4, 90) * 125,
  ]);
  const mends = TECHNICIANS.flatMap((_, t) =>
    FAMILIES.flatMap((__, f) => (d.chance(0.45) ? [[t + 1, f + 1, past(today, d.whole(100, 3000))]] : [])),
  );
  return {
    school: SCHOOLS.map((name, i) => [i + 1, name, DISTRICTS[i % DISTRICTS.length]!, phone(d)]),
    family: FAMILIES.map((name, i) => [i + 1, name]),
    kind: KINDS.map(([name, family], i) => [i + 1, name, family]),
    player: players,
    // The family goes before the kind; two of three instruments have the picture of their family.
    instrument: instruments.map(([number, kind, ...rest]) => {
      const family = KINDS[(kind as number) - 1]![1];
      return [number!, family, kind!, ...rest, (number as number) % 3 === 0 ? null : family];
    }),
    hire: hires.map((row) => [...row, 'Mara Ashdown', `${String(row[5] ?? row[3])}T09:30:00Z`]),
    payment: payments,
    technician: [...TECHNICIANS, NEWCOMER].map((name, i) => [i + 1, name]),
    mends: [...mends, [TECHNICIANS.length + 1, 1, past(today, 20)]],
    part: PARTS.map((name, i) => [i + 1, name, d.whole(3, 80) * 50, d.whole(0, 40)]),
    repair: repairs,
    repair_line: lines,
  };
}

/** Numbers that are kept free for stories (Ofcom's range for drama, 01632 960000 to 960999), from memory. */
const phone = (d: Dice): string => `01632 960${String(d.whole(0, 999)).padStart(3, '0')}`;

const plain = (name: string): string =>
  name
    .normalize('NFD')
    .replace(/[^A-Za-z]/g, '')
    .toLowerCase();
