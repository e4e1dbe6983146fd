/** Somebody who waits for a place. */
interface Waiting {
  readonly who: string;
  readonly take: () => void;
}

/**
 * A number of places for work of one sort, and those who wait for them. One person never has all of them, where there
 * are several: what others ask for goes on beside her longest work. Of those who wait it is the turn of whoever has the
 * fewest places, and of two who have as many of the one who came first.
 */
export class Line {
  private readonly held = new Map<string, number>();
  private readonly waiting: Waiting[] = [];
  private taken = 0;

  constructor(private readonly places: number) {}

  get running(): number {
    return this.taken;
  }

  /** Waits for a place; rejects with what `gaveUp` gives when `signal` ends before there is one. */
  enter(who: string, signal: AbortSignal | undefined, gaveUp: () => Error): Promise<void> {
    if (this.hasPlace(who)) {
      this.take(who);
      return Promise.resolve();
    }
    return new Promise((resolve, reject) => {
      const one: Waiting = {
        who,
        take: () => {
          signal?.removeEventListener('abort', leave);
          this.take(who);
          resolve();
        },
      };
      const leave = (): void => {
        this.waiting.splice(this.waiting.indexOf(one), 1);
        reject(gaveUp());
      };
      this.waiting.push(one);
      signal?.addEventListener('abort', leave, { once: true });
    });
  }

  /** Gives a place back; whoever's turn it is has it at once. */
  leave(who: string): void {
    this.taken--;
    const left = this.of(who) - 1;
    if (left > 0) this.held.set(who, left);
    else this.held.delete(who);
    for (;;) {
      const next = this.waiting
        .filter((one) => this.hasPlace(one.who))
        .reduce<Waiting | null>(
          (best, one) => (best && this.of(best.who) <= this.of(one.who) ? best : one),
          null,
        );
      if (!next) return;
      this.waiting.splice(this.waiting.indexOf(next), 1);
      next.take();
    }
  }

  private of(who: string): number {
    return this.held.get(who) ?? 0;
  }

  private hasPlace(who: string): boolean {
    // The server itself is nobody who could take places from others: its own work has lines of its own.
    const most = who === '' ? this.places : Math.max(1, this.places - 1);
    return this.taken < this.places && this.of(who) < most;
  }

  private take(who: string): void {
    this.taken++;
    this.held.set(who, this.of(who) + 1);
  }
}
