import { minorUnits } from './currency';

describe('currencies', () => {
  it('are known by their code or their sign, and have two places where nothing is known', () => {
    expect(['GBP', '£', 'JPY', '¥', 'KWD', '', 'XYZ'].map(minorUnits)).toEqual([2, 2, 0, 0, 3, 2, 2]);
  });
});
