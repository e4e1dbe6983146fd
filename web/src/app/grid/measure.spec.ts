import { widthFor } from './measure';

describe('the first width of a column', () => {
  const font = '14px monospace';
  const texts = (count: number, length: number): string[] => Array<string>(count).fill('x'.repeat(length));

  it('shows nearly all of its texts, and is not led by a few long ones', () => {
    const usual = widthFor(texts(100, 10), font);
    expect(widthFor([...texts(97, 10), ...texts(3, 40)], font)).toBe(usual);
    expect(widthFor([...texts(90, 10), ...texts(10, 40)], font)).toBeGreaterThan(usual * 2);
  });

  it('has an end, and is nothing where nothing stands', () => {
    expect(widthFor(texts(10, 5000), font)).toBe(360);
    expect(widthFor(['', ''], font)).toBe(0);
  });
});
