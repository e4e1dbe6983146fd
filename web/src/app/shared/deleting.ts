import type * as answers from '@heathridge/core/api';
import type { Confirmation } from './confirm.dialog';

type Along = answers.Answer<typeof answers.Along>['along'][number];

/** What becomes of rows that lead to others when these are deleted: `12 payments go along (Hire).` */
function words({ one, many, link, becomes, count, more }: Along): string {
  const single = count === 1 && !more;
  const number = `${more ? 'more than ' : ''}${count.toLocaleString('en-GB')}`;
  const rows = `${number} ${(single ? one : many).toLowerCase()}`;
  switch (becomes) {
    case 'deleted':
      return `${rows} ${single ? 'goes' : 'go'} along (${link}).`;
    case 'emptied':
      return `${rows} ${single ? 'stays' : 'stay'}, with ${link} left empty.`;
    case 'in the way':
      return `${rows}, by ${link}: ${single ? 'it has' : 'they have'} to be deleted or changed first.`;
  }
}

/**
 * What is asked before rows are deleted, with what becomes of others; where some stand in the way, that alone is said.
 * `rows` is what they are called: `hire 1417`, `3 hires`.
 */
export function deletion(rows: string, isOne: boolean, along: readonly Along[]): Confirmation {
  const held = along.filter(({ becomes }) => becomes === 'in the way');
  if (held.length > 0)
    return {
      title: `${rows.charAt(0).toUpperCase()}${rows.slice(1)} cannot be deleted`,
      text: 'Nothing was changed. Other rows still lead there:',
      lines: held.map(words),
      stay: 'Close',
    };
  return {
    title: `Delete ${rows}?`,
    text: `${isOne ? 'It is' : 'They are'} taken out of the file. The history keeps what ${isOne ? 'it' : 'they'} held.`,
    lines: along.map(words),
    act: 'Delete',
    stay: isOne ? 'Keep it' : 'Keep them',
    danger: true,
  };
}
