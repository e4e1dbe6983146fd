import type { Form } from '@heathridge/core/design';
import { shadesOf, type Shades } from '@heathridge/core/form';

/** The colours of a form’s look as CSS has them, for the light and for the dark; null where it is plain. */
export function lookOf({ look }: Form): Shades | null {
  if (!look) return null;
  const [light, dark] = [shadesOf(look.colour, 'light'), shadesOf(look.colour, 'dark')];
  return {
    ink: `light-dark(${light.ink}, ${dark.ink})`,
    tint: `light-dark(${light.tint}, ${dark.tint})`,
  };
}
