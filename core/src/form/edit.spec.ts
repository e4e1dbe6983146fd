import fc from 'fast-check';
import type { FormPart } from '../design';
import { field, number, OFFICE, table } from '../design/testing/office';
import {
  gathered,
  movedInto,
  partAt,
  placedBeside,
  placeOf,
  placesOf,
  shelfOf,
  takenApart,
  withColumn,
  withPartAdded,
  withPartAt,
  withPartMoved,
} from './edit';
import { cellFor, formFromTable } from './generate';
import { allParts, cellsOf, partId, subformsOf } from './tree';

const cell = (id: string): FormPart => ({ part: 'cell', field: id, width: 3, people: 'type' });
const section = (id: string, ...parts: FormPart[]): FormPart => ({ part: 'section', id, label: id, parts });
const subform = (link: string, ...parts: FormPart[]): FormPart => ({
  part: 'subform',
  link,
  label: link,
  look: 'grid',
  rights: { add: true, change: true, delete: true, relink: false },
  parts,
});
const tabs = (id: string, ...lists: FormPart[][]): FormPart => ({
  part: 'tabs',
  id,
  tabs: lists.map((parts, i) => ({ id: `${id}${i}`, label: `${id}${i}`, parts })),
});

/** Parts as text: `a s[b c] t{d|e} l(f)`. */
const text = (parts: readonly FormPart[]): string =>
  parts
    .map((part) => {
      if (part.part === 'section') return `${part.id}[${text(part.parts)}]`;
      if (part.part === 'tabs') return `${part.id}{${part.tabs.map((tab) => text(tab.parts)).join('|')}}`;
      if (part.part === 'subform') return `${part.link}(${text(part.parts)})`;
      return partId(part);
    })
    .join(' ');

const FORM = [
  cell('a'),
  section('s', cell('b'), tabs('t', [cell('c')], [cell('d')])),
  subform('l', cell('e'), subform('m', cell('a'))),
];

describe('parts of a form at a path', () => {
  it('are found at their own level alone', () => {
    expect(partAt(FORM, ['d'])).toEqual(cell('d'));
    expect(partAt(FORM, ['l', 'm', 'a'])).toEqual(cell('a'));
    expect(partAt(FORM, ['e'])).toBeNull();
    expect(partAt(FORM, ['s', 'b'])).toBeNull();
  });

  it('are changed, taken out and moved there', () => {
    const wide = (part: FormPart): FormPart => ({ ...part, width: 12 }) as FormPart;
    expect(partAt(withPartAt(FORM, ['l', 'm', 'a'], wide), ['l', 'm', 'a'])).toEqual(wide(cell('a')));
    expect(partAt(withPartAt(FORM, ['l', 'm', 'a'], wide), ['a'])).toEqual(cell('a'));
    expect(text(withPartAt(FORM, ['c'], () => null))).toBe('a s[b t{|d}] l(e m(a))');
    expect(text(withPartMoved(FORM, ['l'], -1))).toBe('a l(e m(a)) s[b t{c|d}]');
    expect(text(withPartMoved(FORM, ['l', 'm'], -9))).toBe('a s[b t{c|d}] l(m(a) e)');
    expect(text(withPartMoved(FORM, ['gone'], 1))).toBe(text(FORM));
  });

  it('are added behind the last of their sort', () => {
    expect(text(withPartAdded(FORM, cell('z')))).toBe('a z s[b t{c|d}] l(e m(a))');
    expect(text(withPartAdded(FORM, subform('z')))).toBe('a s[b t{c|d}] l(e m(a)) z()');
    expect(text(withPartAdded([], cell('z')))).toBe('z');
  });
});

describe('sections and tabs', () => {
  it('are put before or behind another of their level, wherever that stands, and never into themselves', () => {
    expect(text(placedBeside(FORM, 'a', 'c', 'before'))).toBe('s[b t{a c|d}] l(e m(a))');
    expect(text(placedBeside(FORM, 'a', 'c', 'behind'))).toBe('s[b t{c a|d}] l(e m(a))');
    expect(text(placedBeside(FORM, 'd', 'a', 'before'))).toBe('d a s[b t{c|}] l(e m(a))');
    expect(text(placedBeside(FORM, 'l', 'a', 'before'))).toBe('l(e m(a)) a s[b t{c|d}]');
    for (const [id, other] of [
      ['a', 'a'],
      ['s', 'b'],
      ['t', 'd'],
      ['a', 'e'],
      ['x', 'a'],
    ] as const)
      expect(placedBeside(FORM, id, other, 'behind'))
        .withContext(`${id} beside ${other}`)
        .toEqual(FORM);
  });

  it('are places to which parts are moved, and from which they come back', () => {
    expect(placesOf(FORM).map(({ id }) => id)).toEqual(['s', 't0', 't1']);
    expect(['a', 'b', 'd', 'e'].map((id) => placeOf(FORM, id))).toEqual([null, 's', 't1', undefined]);
    expect(text(movedInto(FORM, ['a', 'c'], 't1'))).toBe('s[b t{|d a c}] l(e m(a))');
    expect(text(movedInto(FORM, ['l'], 's'))).toBe('a s[b t{c|d} l(e m(a))]');
    expect(text(movedInto(FORM, ['d'], null))).toBe('a d s[b t{c|}] l(e m(a))');
  });

  it('are not put into themselves', () => {
    expect(text(movedInto(FORM, ['s'], 't0'))).toBe(text(FORM));
    expect(text(movedInto(FORM, ['a'], 'gone'))).toBe(text(FORM));
  });

  it('gather parts where the first of them stood, and are taken apart again', () => {
    const one = gathered(FORM, ['a', 'd'], (parts) => section('n', ...parts));
    expect(text(one)).toBe('n[a d] s[b t{c|}] l(e m(a))');
    expect(text(gathered(FORM, [], (parts) => section('n', ...parts)))).toBe(`${text(FORM)} n[]`);
    expect(text(takenApart(FORM, 's'))).toBe('a b t{c|d} l(e m(a))');
    expect(text(takenApart(FORM, 't'))).toBe('a s[b c d] l(e m(a))');
    expect(text(takenApart(FORM, 'l'))).toBe(text(FORM));
  });

  it('never lose or double a part, whatever is done to them', () => {
    const ids = ['a', 'b', 'c', 'd', 'l', 's', 't'];
    const some = fc.subarray(ids);
    const step = fc.oneof(
      fc.record({ into: fc.constantFrom('s', 't0', 't1', null), ids: some }),
      fc.record({ move: fc.constantFrom(...ids), by: fc.integer({ min: -3, max: 3 }) }),
    );
    fc.assert(
      fc.property(fc.array(step, { maxLength: 8 }), (steps) => {
        const end = steps.reduce<FormPart[]>(
          (parts, done) =>
            'into' in done
              ? movedInto(parts, done.ids, done.into)
              : withPartMoved(parts, [done.move], done.by),
          FORM,
        );
        expect(allParts(end).map(partId).sort()).toEqual(allParts(FORM).map(partId).sort());
      }),
      { numRuns: 500, seed: 20261127 },
    );
  });
});

describe('the shelf', () => {
  const [borrower, loan] = OFFICE.tables as [(typeof OFFICE.tables)[0], (typeof OFFICE.tables)[0]];

  it('holds the fields and the links that are not placed, at each level', () => {
    const { parts } = formFromTable(OFFICE, borrower!, 'o_x', 'X', 2);
    expect(shelfOf(OFFICE, borrower!, parts)).toEqual({ fields: [], links: [] });
    const less = withPartAt(
      withPartAt(parts, ['f_bName'], () => null),
      ['f_lBorrower'],
      () => null,
    );
    const { fields, links } = shelfOf(OFFICE, borrower!, less);
    expect(fields.map(({ id }) => id)).toEqual(['f_bName']);
    expect(links.map(({ field: { id } }) => id)).toEqual(['f_lBorrower']);
    // The field that leads to the row around tells nothing there.
    const loans = subformsOf(parts)[0]!;
    const bare = withPartAt(loans.parts, ['f_lNote'], () => null);
    expect(shelfOf(OFFICE, loan!, bare, loans.link).fields.map(({ id }) => id)).toEqual(['f_lNote']);
  });

  it('has a field at once that is added to a table later', () => {
    const { parts } = formFromTable(OFFICE, borrower!, 'o_x');
    const later = { ...borrower!, fields: [...borrower!.fields, field('bSince', 'since', { kind: 'date' })] };
    expect(shelfOf(OFFICE, later, parts).fields.map(({ id }) => id)).toEqual(['f_bSince']);
  });

  it('gives a column back to its place among the others', () => {
    const three = table('thing', [
      field('x', 'x', number),
      field('y', 'y', { kind: 'date' }),
      field('z', 'z', { kind: 'date' }),
    ]);
    const [x, y, z] = three.fields.map(cellFor) as [FormPart, FormPart, FormPart];
    const put = (list: FormPart[], one: FormPart) =>
      cellsOf(withColumn(three, list, one)).map((c) => c.field);
    expect(put([x, z], y)).toEqual(['f_x', 'f_y', 'f_z']);
    expect(put([x, y], z)).toEqual(['f_x', 'f_y', 'f_z']);
    expect(text(withColumn(three, [x, subform('l')], y))).toBe('f_x f_y l()');
  });
});
