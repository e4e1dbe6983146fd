import type { ScreenPart } from '@heathridge/core/board';
import type { DeskInfo } from '../shared/api.service';

/** The screen of which a part of a board shows something; null where it is not there. */
export const screenOn = (desk: DeskInfo | null, { screen }: ScreenPart): DeskInfo['screens'][number] | null =>
  desk?.screens.find(({ id }) => id === screen) ?? null;

/** Where a screen opens by itself. */
export const screenLink = (file: string, screen: DeskInfo['screens'][number] | null): readonly string[] =>
  screen
    ? ['/desk', file, screen.shows === 'record' ? 'screen' : 'list', screen.id]
    : ['/desk', file, 'today'];
