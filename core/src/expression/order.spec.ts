import { compareText } from './fold';
import { orderKey } from './order';

/**
 * The independent judge is ICU itself, through ECMA-402's `Intl.Collator` (ISO/IEC 14651, UTS #10 with the
 * root of CLDR): the keys must put texts where it puts them. Letters are those of living alphabets, so that
 * no version of ICU that a browser may bring differs in them.
 */
describe('the order of texts', () => {
  const compare = (a: string, b: string): number => Math.sign(compareText(orderKey(a), orderKey(b)));
  const sorted = (texts: readonly string[]): string[] => [...texts].sort(compare);

  const ALPHABETS: Readonly<Record<string, string>> = {
    'Latin with accents': 'abcdefghijklmnopqrstuvwxyzàáâãäåçèéêëìíîïñòóôõöøùúûüýÿđłžščřğşāēģķļņūőű',
    'Latin beyond Latin': 'aæbnoœŋpsßtþuvzı',
    Greek: 'αβγδεζηθικλμνξοπρσςτυφχψωάέήίόύώϊ',
    Cyrillic: 'абвгдежзийклмнопрстуфхцчшщъыьэюяёіїєґўђјљњћџ',
    Hebrew: 'אבגדהוזחטיכלמנסעפצקרשת',
    Arabic: 'ابتثجحخدذرزسشصضطظعغفقكلمنهوي',
    Armenian: 'աբգդեզէըթժիլխծկհձղ',
    Georgian: 'აბგდევზთიკლმნოპჟრსტ',
    Kana: 'あいうえおかきくけこがぎアイウエオカガ',
    Hangul: '가각나다라마바사',
    Han: '一丁七万三上下不中人',
    digits: '0123456789٣',
  };
  const primary = new Intl.Collator('en', { sensitivity: 'base' });

  // A generator of numbers that is the same in every run (Park and Miller's minimal standard, 1988).
  let seed = 20261126;
  const below = (n: number): number => (seed = (seed * 48271) % 2147483647) % n;
  const text = (letters: readonly string[]): string =>
    Array.from({ length: 1 + below(5) }, () => {
      const letter = below(8) === 0 ? ' ' : letters[below(letters.length)]!;
      return below(3) === 0 ? letter.toLocaleUpperCase('en') : letter;
    }).join('');

  for (const [name, letters] of Object.entries(ALPHABETS))
    it(`is that of ICU for ${name}`, () => {
      let different = 0;
      for (let i = 0; i < 4000; i++) {
        const [a, b] = [text(Array.from(letters)), text(Array.from(letters))];
        const judged = Math.sign(primary.compare(a, b));
        if (judged === 0) continue;
        different++;
        if (compare(a, b) !== judged) fail(`${a} / ${b}: ${compare(a, b)}, and ICU says ${judged}`);
      }
      expect(different).toBeGreaterThan(1000);
    });

  it('puts blanks before signs, signs before digits, digits before letters', () => {
    const texts = [' x', '!x', '-x', '@x', '~x', '€x', '0', '9', 'a', 'z', 'α', 'я'];
    expect(sorted([...texts].reverse())).toEqual(texts);
  });

  it('lets accents decide between texts that are otherwise alike, and case never', () => {
    const texts = ['Muller', 'Müller', 'Mullers', 'Naïve', 'resume', 'résume', 'résumé', 'resumes'];
    expect(sorted([...texts].reverse())).toEqual(texts);
    expect(compare('MÜLLER', 'müller')).toBe(0);
    expect(compare('STRASSE', 'straße')).toBe(-1);
    expect(sorted(['straßen', 'strasser', 'straße'])).toEqual(['straße', 'straßen', 'strasser']);
  });

  it('looks at marks that stand by themselves as at accents', () => {
    expect(sorted(['Zoe', 'Zoe\u0308', 'Zof', 'Zoë'])[0]).toBe('Zoe');
    expect(compare('Zoe\u0308', 'Zof')).toBe(-1);
  });

  it('passes over the rest of very long texts', () => {
    const long = 'é'.repeat(5000);
    expect(orderKey(`${long}a`)).toBe(orderKey(`${long}b`));
    expect(orderKey('')).toBe('');
  });
});
