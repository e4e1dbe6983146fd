import type { Design } from '@heathridge/core/design';
import { KnownDesigns, SentDesigns } from './designs';

describe('designs on their way to a process', () => {
  const named = (version: number): Design => ({ version }) as Design;

  it('are sent whole once, and by their number from then on', () => {
    const [sent, known] = [new SentDesigns(), new KnownDesigns()];
    const design = named(1);
    const first = sent.send(design);
    expect(first.bytes).not.toBeNull();
    const taken = known.take(first);
    expect(taken).toEqual(design);
    const again = sent.send(design);
    expect(again).toEqual({ id: first.id, bytes: null });
    // The same one, with all that is kept by it.
    expect(known.take(again)).toBe(taken);
  });

  it('are known at both ends alike, however many there are and in whatever order they are asked for', () => {
    const [sent, known] = [new SentDesigns(), new KnownDesigns()];
    const designs = Array.from({ length: 30 }, (_, i) => named(i));
    let seed = 7;
    for (let i = 0; i < 2000; i++) {
      seed = (seed * 1103515245 + 12345) % 2 ** 31;
      const design = designs[seed % (i % 3 === 0 ? 30 : 9)]!;
      expect(known.take(sent.send(design))).toEqual(design);
    }
    expect(() => new KnownDesigns().take({ id: 1, bytes: null })).toThrowError(/never sent/);
  });
});
