import { tableOf, type Design } from '@heathridge/core/design';
import type * as answers from '@heathridge/core/api';

type Along = answers.Answer<typeof answers.Along>['along'][number];

/** What becomes of rows that lead to others when these are deleted: `12 payments go along (Hire).` */
export function alongWords(design: Design, { table, link, becomes, count, more }: Along): string {
  const { label, plural } = tableOf(design, table);
  const one = count === 1 && !more;
  const number = `${more ? 'more than ' : ''}${count.toLocaleString('en-GB')}`;
  const rows = `${number} ${(one ? label : plural).toLowerCase()}`;
  switch (becomes) {
    case 'deleted':
      return `${rows} ${one ? 'goes' : 'go'} along (${link}).`;
    case 'emptied':
      return `${rows} ${one ? 'stays' : 'stay'}, with ${link} left empty.`;
    case 'in the way':
      return `${rows}, by ${link}: ${one ? 'it has' : 'they have'} to be deleted or changed first.`;
  }
}
