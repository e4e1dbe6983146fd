import { deserialize, serialize } from 'node:v8';
import type { Design } from '@heathridge/core/design';

/** A design on its way to a process: whole, or by the number under which that process has it. */
export interface SentDesign {
  readonly id: number;
  readonly bytes: Uint8Array | null;
}

/** Designs that a process keeps: those of the files and roles that are asked for at the moment. */
const MOST_KNOWN = 8;

let numbers = 0;
const packed = new WeakMap<Design, { readonly id: number; readonly bytes: Uint8Array }>();

/** A design as it travels, made once: most jobs are about one that has not changed. */
function packedOf(design: Design): { readonly id: number; readonly bytes: Uint8Array } {
  const known = packed.get(design);
  if (known) return known;
  const made = { id: ++numbers, bytes: serialize(design) };
  packed.set(design, made);
  return made;
}

/** Numbers in the order in which they were used last; both ends of a channel drop the same ones. */
class Recent<T> {
  private readonly kept = new Map<number, T>();

  get(id: number): T | undefined {
    const found = this.kept.get(id);
    if (found !== undefined) this.keep(id, found);
    return found;
  }

  keep(id: number, value: T): void {
    this.kept.delete(id);
    this.kept.set(id, value);
    if (this.kept.size > MOST_KNOWN) this.kept.delete(this.kept.keys().next().value!);
  }
}

/** What designs a process has, as the one that sends them knows it. */
export class SentDesigns {
  private readonly sent = new Recent<true>();

  send(design: Design): SentDesign {
    const { id, bytes } = packedOf(design);
    if (this.sent.get(id)) return { id, bytes: null };
    this.sent.keep(id, true);
    return { id, bytes };
  }
}

/** The designs that a process has, as it was sent them. */
export class KnownDesigns {
  private readonly known = new Recent<Design>();

  /** Throws where it was sent the number alone of one that it does not have. */
  take({ id, bytes }: SentDesign): Design {
    const design = bytes ? (deserialize(bytes) as Design) : this.known.get(id);
    if (!design) throw new Error(`The design ${id} was never sent.`);
    if (bytes) this.known.keep(id, design);
    return design;
  }
}
