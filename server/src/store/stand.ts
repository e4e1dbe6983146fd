import { existsSync, openSync, readSync, realpathSync, renameSync, statSync } from 'node:fs';
import { endianness } from 'node:os';
import { STRAY } from './leftovers';
import { placeOf } from './place';

/** What the engine keeps beside a database file: its log, and what all that have it open share in memory. */
const BESIDE = ['-wal', '-shm'] as const;
type Beside = (typeof BESIDE)[number];

/**
 * What has become of a file that is open: it is not there any more, another is, what the engine keeps beside it is not
 * there, or somebody has written over it.
 */
export type Whereabouts = 'in place' | 'gone' | 'another' | 'without log' | 'written over';

/** What the log and the file have come to; numbers of the engine, of which some count on and over. */
interface Progress {
  /** The commits so far. */
  readonly commits: number;
  /** How often the log was begun anew, after all of it had been written into the file. */
  readonly anew: number;
  /** The frames in the log, those of them that are in the file, and those that were to be written into it last. */
  readonly frames: number;
  readonly written: number;
  readonly begun: number;
}

interface Seen extends Progress {
  readonly changed: number;
  readonly size: number;
}

/**
 * Where those stand in what all share, in bytes: the commits (iChange), the frames (mxFrame), the first salt of the log,
 * which is one more each time, highest byte first, the frames in the file (nBackfill) and those begun with
 * (nBackfillAttempted). Source: "WAL-mode File Format", sections 2.1 and 2.2, https://www.sqlite.org/walformat.html
 */
const PLACES = { commits: 8, frames: 16, anew: 32, written: 96, begun: 128 } as const;
const SHARED_HEAD = 136;

/**
 * Watches where a database file is that this process has open in write-ahead mode, which somebody may move, replace or
 * write over at any moment. A look costs four questions to the machine, some microseconds. For as long as it is open the
 * file changes only as the log is written into it, which is seen from what all that have it open share: any other
 * change is not the engine's.
 */
export class Stand {
  /** Which file on the disk it is. */
  readonly inode: string;
  /** Where the file itself is, where only a link stands at the path: what belongs to it lies there. */
  private readonly own: string;
  private readonly beside: Readonly<Record<Beside, string>>;
  /**
   * Closed only with this process: the engine's locks would go with it (fcntl(2)), also those of a connection that was
   * closed, whose statements the driver still has.
   */
  private readonly shared: number;
  private readonly head = new DataView(new ArrayBuffer(SHARED_HEAD));
  private seen: Seen;
  private isWrittenOver = false;

  /** `path` is that of a file that is open, and has been read. */
  constructor(readonly path: string) {
    this.inode = placeOf(path);
    this.own = realpathSync(path);
    this.beside = { '-wal': placeOf(`${this.own}-wal`), '-shm': placeOf(`${this.own}-shm`) };
    this.shared = openSync(`${this.own}-shm`, 'r');
    this.seen = this.settled() ?? { changed: 0, size: 0, ...this.progress() };
  }

  look(): Whereabouts {
    const found = statSync(this.path, { throwIfNoEntry: false });
    if (!found) return 'gone';
    if (`${found.dev} ${found.ino}` !== this.inode) return 'another';
    if (!this.isWrittenOver && this.hasMoved(found.mtimeMs, found.size)) {
      const now = this.settled();
      // Taken away at this very moment.
      if (!now) return this.look();
      this.isWrittenOver = isOther(this.seen, now) && !mayHaveWritten(this.seen, now);
      this.seen = now;
    }
    if (this.isWrittenOver) return 'written over';
    return BESIDE.every((suffix) => this.isOwn(this.own + suffix, suffix)) ? 'in place' : 'without log';
  }

  /** Whether its log may be written into it: not where that would go into what somebody else has written. */
  mayBeWritten(): boolean {
    return !this.isWrittenOver;
  }

  /** Takes what lies beside it out of the way of another, for which the engine would hold it. */
  moveAside(): void {
    for (const suffix of BESIDE)
      // Another may have come with a log of its own.
      if (this.isOwn(this.own + suffix, suffix)) setAside(this.own, suffix);
  }

  /** Puts back what {@link moveAside} has moved, where all of it is there still. */
  takeBack(): void {
    const away = BESIDE.filter((suffix) => !this.isOwn(this.own + suffix, suffix));
    const names = away.map((suffix) => strayName(this.own, suffix, this.beside[suffix]));
    if (away.some((suffix, i) => !this.isOwn(names[i]!, suffix))) return;
    away.forEach((suffix, i) => {
      setAside(this.own, suffix);
      renameSync(names[i]!, this.own + suffix);
    });
  }

  private isOwn(name: string, suffix: Beside): boolean {
    return placeOf(name) === this.beside[suffix];
  }

  /** Whether the file or its log has come further since it was looked at. */
  private hasMoved(changed: number, size: number): boolean {
    const { seen } = this;
    if (changed !== seen.changed || size !== seen.size) return true;
    const now = this.progress();
    return NAMES.some((name) => now[name] !== seen[name]);
  }

  /** How the file is, and how far its log is written into it, of one moment; null where it is not in its place. */
  private settled(): Seen | null {
    for (;;) {
      const before = this.state();
      const progress = this.progress();
      const after = this.state();
      if (!before || !after) return null;
      if (before.changed === after.changed && before.size === after.size) return { ...after, ...progress };
    }
  }

  private state(): Pick<Seen, 'changed' | 'size'> | null {
    const found = statSync(this.path, { throwIfNoEntry: false });
    return found && `${found.dev} ${found.ino}` === this.inode
      ? { changed: found.mtimeMs, size: found.size }
      : null;
  }

  private progress(): Progress {
    const { head } = this;
    readSync(this.shared, head, 0, SHARED_HEAD, 0);
    const at = (place: number): number => head.getUint32(place, IS_LITTLE);
    return {
      commits: at(PLACES.commits),
      frames: at(PLACES.frames),
      anew: head.getUint32(PLACES.anew),
      written: at(PLACES.written),
      begun: at(PLACES.begun),
    };
  }
}

const NAMES = Object.keys(PLACES) as (keyof Progress)[];
const IS_LITTLE = endianness() === 'LE';

/**
 * Whether somebody has written into the file from one look to the next. Who copies files for safety may put back when they
 * were read, and sets when they were changed along, in whole seconds or millionths of them (utime(2), utimes(2)).
 */
function isOther(before: Seen, now: Seen): boolean {
  const back = before.changed - now.changed;
  const isSetBack = Math.abs(back) < 0.002 || (back > 0 && back < 1000 && now.changed % 1000 === 0);
  return now.size !== before.size || !isSetBack;
}

/** Whether the engine may have written into the file from one look to the next. */
function mayHaveWritten(before: Progress, now: Progress): boolean {
  if (before.begun !== before.written) return true;
  const anew = (now.anew - before.anew) >>> 0;
  if (anew === 0) return now.begun !== before.begun || now.written !== before.written;
  // What was left of the log, or what has come into it since it was begun anew.
  if (anew > 1 || before.written !== before.frames || now.begun !== 0) return true;
  // Begun anew by a commit, or for its own sake: what was committed besides has been written before that.
  return (now.commits - before.commits) >>> 0 > (now.frames > 0 ? 1 : 0);
}

/** Under which name what lies beside a file is kept while another stands in its place, by which it is on the disk. */
const strayName = (path: string, suffix: Beside, place: string): string =>
  `${path}${suffix}.${place.replace(' ', '-')}${STRAY}`;

function setAside(path: string, suffix: Beside): void {
  if (existsSync(path + suffix)) renameSync(path + suffix, strayName(path, suffix, placeOf(path + suffix)));
}
