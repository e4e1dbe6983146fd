import type { Signal } from '@angular/core';
import type { Design } from '@heathridge/core/design';
import type { Pane } from '@heathridge/core/form';
import type { GridView } from '@heathridge/core/rows';
import type { Fetch } from '../value/held';

/** What each list of a screen is told of where it stands. */
export interface Place {
  readonly design: Design;
  readonly screen: string;
  readonly fetch: Fetch;
}

/** One of the lists of a screen, however its rows stand: beneath one another, or as cards in columns. */
export interface ListView {
  readonly pane: Signal<Pane>;
  /** Reads the rows again, where they are. */
  refresh(): void;
  /** Puts the cursor into it, once its rows are there. */
  enter(): void;
  /** Goes to where a new row is begun; false where none can be. */
  startNew(): boolean;
  /** Whether something of it is not in the file yet. */
  unsaved(): boolean;
  /** Saves all that was changed; false where something cannot be saved as it stands. */
  saveAll(): Promise<boolean>;
  setAllAside(): void;
  /** To be told after what is asked of its rows is other than before: that is kept. */
  arranged(): void;
  /** How it is looked at now. */
  viewNow(): GridView;
}
