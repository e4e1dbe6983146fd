import { BRITISH } from './locale';
import { isSummed, sumShown } from './sums';

describe('sums', () => {
  const money = { kind: 'money', places: 2 } as const;

  it('are exact, and pass over what is empty', () => {
    expect(
      sumShown(
        money,
        Array.from({ length: 1000 }, () => '0.10'),
        BRITISH,
      ),
    ).toBe('£100.00');
    expect(sumShown(money, ['99999999999999.99', '0.02', null, '-0.01'], BRITISH)).toBe(
      '£100,000,000,000,000.00',
    );
    expect(sumShown({ kind: 'wholeNumber' }, [3, 4, null], BRITISH)).toBe('7');
    expect(sumShown(money, [], BRITISH)).toBe('£0.00');
  });

  it('tell something of amounts alone', () => {
    expect(isSummed(money)).toBeTrue();
    expect(isSummed({ kind: 'decimal', places: 1 })).toBeTrue();
    for (const kind of ['runningNumber', 'lookup', 'tick', 'date', 'text'] as const)
      expect(isSummed({ kind })).toBeFalse();
  });
});
