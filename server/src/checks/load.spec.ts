import { readFileSync, writeFileSync } from 'node:fs';
import { faults, type Outcome } from '../testing/faults/faults';
import '../testing/timeouts';

/** Seconds in the tests; `npm run faults` takes half an hour. */
const SECONDS = Number(process.env['FAULTS'] ?? 60);
const SEED = Number(process.env['FAULTS_SEED'] ?? 20261129);
const PEOPLE = 50;
const ODD = SECONDS >= 1800 ? 10_000 : Math.max(200, SECONDS * 5);

/** Milliseconds within which a server that is to end has ended, whatever hangs. */
const MOST_END = 10_000;

describe('a server under load to which everything happens', () => {
  it(
    `loses nothing, answers everybody and stays sound (${SECONDS} seconds, ${PEOPLE} people)`,
    async () => {
      const outcome = await faults({ seconds: SECONDS, people: PEOPLE, odd: ODD, seed: SEED });
      const readme = process.env['FAULTS_README'];
      if (readme !== undefined) report(readme, outcome);
      expect(outcome.lost).withContext('saves that are lost').toEqual([]);
      expect(outcome.broken).withContext('saves that are there twice or by halves').toEqual([]);
      expect(outcome.failures).withContext('answers of 5xx').toEqual([]);
      expect(outcome.unsound).withContext('files').toEqual([]);
      expect(outcome.end).toBeLessThan(MOST_END);
      // That it was a load at all, and that each thing happened.
      expect(outcome.saved).toBeGreaterThan(SECONDS);
      expect(Object.values(outcome.odd).reduce((sum, count) => sum + count, 0)).toBeGreaterThan(ODD / 2);
      expect(Object.keys(outcome.happened).sort()).toEqual([
        'children killed',
        'files put back',
        'files replaced',
        'full disks',
        'kills of the server',
        'times another program held the file',
      ]);
      // Megabytes: what grows by so much a minute has filled a small machine in a day.
      expect(outcome.memory.most).toBeLessThan(1024);
      expect(outcome.memory.growth ?? 0).toBeLessThan(2);
      if (SECONDS >= 1800) expect(outcome.memory.growth).not.toBeNull();
    },
    (SECONDS + 600) * 1000,
  );
});

const [BEGIN, END] = ['<!-- faults -->', '<!-- /faults -->'];

/** Puts the figures into the README. */
function report(readme: string, { happened, odd, memory, ...outcome }: Outcome): void {
  const number = (value: number): string => Math.round(value).toLocaleString('en');
  const oddOnes = Object.values(odd).reduce((sum, count) => sum + count, 0);
  const lines: [string, string][] = [
    ['people at work, for', `${PEOPLE}, ${number(SECONDS / 60)} minutes`],
    ['answers', number(outcome.answers)],
    ['saves of a hire with two payments that were answered', number(outcome.saved)],
    ['of them lost, or there twice or by halves', `${outcome.lost.length}, ${outcome.broken.length}`],
    ...Object.entries(happened).map(([what, count]): [string, string] => [what, number(count)]),
    ['requests that make no sense', number(oddOnes)],
    ['answers of 5xx, but for those of a full disk', number(outcome.failures.length)],
    ['things that are unsound in the files afterwards', number(outcome.unsound.length)],
    ['19 of 20 answers come within, while nothing is amiss', `${number(outcome.slow)} ms`],
    ['the slowest end on request', `${number(outcome.end)} ms`],
    ['memory of the server at most', `${number(memory.most)} MB`],
    [
      'by how much it grows, once it is warm',
      memory.growth === null ? 'not seen in so short a run' : `${memory.growth.toFixed(2)} MB a minute`,
    ],
  ];
  const table = [
    '| what | figure |',
    '| --- | ---: |',
    ...lines.map(([what, figure]) => `| ${what} | ${figure} |`),
  ];
  const text = readFileSync(readme, 'utf8');
  const [begin, end] = [text.indexOf(BEGIN), text.indexOf(END)];
  if (begin < 0 || end < begin) throw new Error('The README has no place for these figures.');
  writeFileSync(
    readme,
    `${text.slice(0, begin + BEGIN.length)}\n\n${table.join('\n')}\n\n${text.slice(end)}`,
  );
}
