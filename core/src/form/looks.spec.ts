import { contrast, LOOKS, shadesOf } from './looks';

describe('looks', () => {
  it('measure contrast as WCAG 2.2 defines it', () => {
    // The ends of the scale, from the definition itself: https://www.w3.org/TR/WCAG22/#dfn-contrast-ratio
    expect(contrast('#000000', '#ffffff')).toBeCloseTo(21, 10);
    expect(contrast('#7a4b8c', '#7a4b8c')).toBeCloseTo(1, 10);
    // Common practice: #767676 is the lightest grey that may stand on white, #777777 may not any more.
    expect(contrast('#767676', '#ffffff')).toBeCloseTo(4.54, 2);
    expect(contrast('#ffffff', '#777777')).toBeCloseTo(4.48, 2);
  });

  it('can be read, whatever colour is chosen, in the light and in the dark', () => {
    const parts = ['00', '33', '66', '99', 'cc', 'ff'];
    let judged = 0;
    for (const red of parts)
      for (const green of parts)
        for (const blue of parts)
          for (const [scheme, paper] of [
            ['light', '#fffdf9'],
            ['dark', '#1d2321'],
          ] as const) {
            const { ink, tint } = shadesOf(`#${red}${green}${blue}`, scheme);
            for (const other of [paper, tint])
              expect(contrast(ink, other))
                .withContext(`${red}${green}${blue}, ${scheme}`)
                .toBeGreaterThanOrEqual(4.5);
            judged++;
          }
    expect(judged).toBe(432);
  });

  it('keep a colour that can be read as it is', () => {
    for (const { look } of LOOKS.slice(0, 3)) expect(shadesOf(look.colour, 'light').ink).toBe(look.colour);
  });
});
