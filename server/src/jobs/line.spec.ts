import { Line } from './line';

describe('a line of those who wait', () => {
  const gaveUp = (): Error => new Error('gave up');
  /** Enters, and notes who had a place in which order. */
  const entering = (line: Line, order: string[]) => (who: string, name: string, signal?: AbortSignal) =>
    line.enter(who, signal, gaveUp).then(
      () => void order.push(name),
      () => void order.push(`${name} left`),
    );
  const settled = (): Promise<void> => new Promise((done) => setTimeout(done));

  it('leaves one place to others, however much one person asks for', async () => {
    const [line, order] = [new Line(3), [] as string[]];
    const enter = entering(line, order);
    for (const name of ['a1', 'a2', 'a3', 'a4']) void enter('a', name);
    await settled();
    expect(order).toEqual(['a1', 'a2']);
    void enter('b', 'b1');
    await settled();
    expect([order, line.running]).toEqual([['a1', 'a2', 'b1'], 3]);
    // Of those who wait whoever has the fewest is next, though she came last.
    void enter('b', 'b2');
    void enter('c', 'c1');
    line.leave('a');
    await settled();
    expect(order.at(-1)).toBe('c1');
    line.leave('c');
    await settled();
    // Now both have one: the one who came first.
    expect(order.at(-1)).toBe('a3');
  });

  it('gives every place to the server itself, and a single one to anybody', async () => {
    const [line, order] = [new Line(2), [] as string[]];
    const enter = entering(line, order);
    for (const name of ['1', '2', '3']) void enter('', name);
    await settled();
    expect(order).toEqual(['1', '2']);
    const [single, others] = [new Line(1), [] as string[]];
    void entering(single, others)('a', 'a1');
    await settled();
    expect(others).toEqual(['a1']);
  });

  it('forgets who gives up, and ends as it began', async () => {
    const [line, order] = [new Line(2), [] as string[]];
    const enter = entering(line, order);
    const gone = new AbortController();
    void enter('a', 'a1');
    void enter('a', 'a2', gone.signal);
    void enter('a', 'a3');
    gone.abort();
    await settled();
    expect(order).toEqual(['a1', 'a2 left']);
    line.leave('a');
    await settled();
    expect(order.at(-1)).toBe('a3');
    line.leave('a');
    expect(line.running).toBe(0);
    // Given back too, nobody is kept in mind.
    expect(line['held'].size).toBe(0);
    expect(line['waiting'].length).toBe(0);
  });
});
