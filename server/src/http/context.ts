import type { Progress } from '../change/run';
import type { Clock } from '../clock';
import type { JobPool } from '../jobs/pool';
import type { Accounts } from '../people/accounts';
import type { Newsroom } from './news';
import type { Presence } from './presence';
import type { SheetFolder } from '../sheets/folder';
import type { Reach } from '../sheets/reach';
import type { Files, OpenFile } from '../store/files';

/** What routes work with. Built once by `buildApp`. */
export interface Context {
  /** How far long work is, by the name its caller gave it. */
  readonly progress: Map<string, Progress>;
  readonly clock: Clock;
  readonly files: Files;
  readonly accounts: Accounts;
  readonly jobs: JobPool;
  readonly sheets: SheetFolder;
  readonly news: Newsroom;
  readonly presence: Presence;
  /** What outside of the server may be asked for rows. */
  readonly reach: Reach;
}

/** Today's date where the office of a file is. */
export const todayIn = ({ clock }: Pick<Context, 'clock'>, { design }: Pick<OpenFile, 'design'>): string =>
  clock.today(design.settings.timeZone);
