import { bestOffers, linkCandidates, namesMatch, offerSql, promising, type LinkOffer } from './link-offers';
import { emptyDesign, searchedBy, type Design, type FieldType } from '../design';
import { field, lookup, table } from '../design/testing/office';

const NUMBER: FieldType = { kind: 'wholeNumber' };
const TEXT: FieldType = { kind: 'text', most: null };

const school = table('school', [field('sid', 'id', NUMBER), field('sname', 'name', TEXT)], {
  id: 't_s',
  plural: 'schools',
  key: ['f_sid'],
});
const book = table('book', [field('isbn', 'isbn', TEXT), field('title', 'title', TEXT)], {
  id: 't_b',
  plural: 'books',
  key: ['f_isbn'],
});
const pupil = table(
  'pupil',
  [
    field('pid', 'id', NUMBER),
    field('pschool', 'school_id', NUMBER),
    field('page', 'age', NUMBER),
    field('pwhere', 'taught_at', TEXT),
    field('pbook', 'isbn', TEXT),
  ],
  { id: 't_p', plural: 'pupils', key: ['f_pid'] },
);
const shelf = table('shelf', [field('hroom', 'room', TEXT), field('hrow', 'row_letter', TEXT)], {
  id: 't_h',
  plural: 'shelves',
  key: ['f_hroom', 'f_hrow'],
});
const copy = table(
  'copy',
  [field('cid', 'id', NUMBER), field('croom', 'room', TEXT), field('crow', 'row_letter', TEXT)],
  { id: 't_c', plural: 'copies', key: ['f_cid'] },
);
const design: Design = { ...emptyDesign(), tables: [school, book, pupil, shelf, copy] };
const has =
  (own: string, parent: string, by: 'key' | 'text') =>
  (item: { on: readonly { own: string }[]; parent: string; by: string }) =>
    item.on[0]!.own === own && item.parent === parent && item.by === by;

describe('offers of links', () => {
  it('read names as people give them to foreign keys (common practice)', () => {
    const target = { name: 'school', label: 'School' };
    for (const name of [
      'school',
      'school_id',
      'schoolId',
      'School No',
      'home_school',
      'schools',
      'home_school_id',
    ])
      expect(namesMatch(name, target, 'id'))
        .withContext(name)
        .toBeTrue();
    for (const name of ['id', 'number', 'schooling', 'old', 'name', 'school_name_given'])
      expect(namesMatch(name, target, 'id'))
        .withContext(name)
        .toBeFalse();
    expect(namesMatch('isbn', { name: 'book', label: 'Book' }, 'isbn')).toBeTrue();
    expect(namesMatch('company_id', { name: 'companies', label: 'Companies' }, 'id')).toBeTrue();
  });

  it('consider numbers only where the names speak, texts wherever values may', () => {
    const all = linkCandidates(design);
    expect(all.find(has('f_pschool', 't_s', 'key'))).toEqual(jasmine.objectContaining({ named: true }));
    expect(all.some(has('f_page', 't_s', 'key'))).toBeFalse();
    expect(all.find(has('f_pwhere', 't_s', 'text'))).toEqual(jasmine.objectContaining({ named: false }));
    expect(all.find(has('f_pbook', 't_b', 'key'))).toEqual(jasmine.objectContaining({ named: true }));
    expect(
      linkCandidates(design, { child: 't_p', parent: 't_s' }).some(has('f_page', 't_s', 'key')),
    ).toBeTrue();
  });

  it('find keys of several fields by the names of all of them, once', () => {
    const pair = linkCandidates(design).filter(({ child, parent }) => child === 't_c' && parent === 't_h');
    expect(pair).toEqual([
      jasmine.objectContaining({
        named: true,
        on: [
          { own: 'f_croom', other: 'f_hroom' },
          { own: 'f_crow', other: 'f_hrow' },
        ],
      }),
    ]);
    const link = {
      id: 'l_1',
      name: 'shelf',
      label: 'shelf',
      table: 't_h',
      on: [...pair[0]!.on],
      onDelete: 'refuse' as const,
    };
    const linked = {
      ...design,
      tables: design.tables.map((item) => (item === copy ? { ...copy, links: [link] } : item)),
    };
    expect(
      linkCandidates(linked).some(({ child, parent }) => child === 't_c' && parent === 't_h'),
    ).toBeFalse();
  });

  it('leave alone what is a lookup, what the file fills, and a key of its own table', () => {
    const leads = field('x', 'school', { ...lookup('school'), table: 't_s' } as FieldType);
    const stamp = field('y', 'school_name', { kind: 'stamp', of: 'createdBy' });
    const other = table('other', [field('oid', 'other_id', NUMBER), leads, stamp], {
      id: 't_o',
      plural: 'others',
      key: ['f_oid'],
    });
    const found = linkCandidates({ ...design, tables: [school, other] });
    expect(found.filter(({ child }) => child === 't_o')).toEqual([]);
  });

  it('try few values first', () => {
    const named: LinkOffer = {
      child: 'a',
      parent: 'b',
      on: [{ own: 'x', other: 'y' }],
      by: 'key',
      named: true,
      rows: 0,
      matching: 0,
    };
    expect(promising(named, 0, 0)).toBeTrue();
    expect(promising(named, 10, 4)).toBeFalse();
    const unnamed = { ...named, named: false };
    expect(promising(unnamed, 2, 2)).toBeFalse();
    expect(promising(unnamed, 10, 8)).toBeTrue();
    expect(promising(unnamed, 10, 7)).toBeFalse();
    const { tried, all } = offerSql(design, linkCandidates(design).find(has('f_pwhere', 't_s', 'text'))!);
    expect(tried).toContain('DISTINCT "taught_at"');
    expect(all).toContain('lower(trim(');
  });

  it('show the best for each field, named ones first', () => {
    const base = { child: 't_p', on: [{ own: 'f_pwhere', other: 'f_sid' }], by: 'text' } as const;
    const weak: LinkOffer = { ...base, parent: 't_s', named: false, rows: 100, matching: 85 };
    const strong: LinkOffer = { ...base, parent: 't_b', named: false, rows: 100, matching: 99 };
    const named: LinkOffer = {
      ...base,
      on: [{ own: 'f_pbook', other: 'f_isbn' }],
      by: 'key',
      parent: 't_b',
      named: true,
      rows: 10,
      matching: 6,
    };
    const poor: LinkOffer = { ...named, on: [{ own: 'f_page', other: 'f_sid' }], matching: 4 };
    expect(bestOffers([weak, poor, strong, named])).toEqual([named, strong]);
  });
});

describe('advice about indexes', () => {
  it('names what a field is searched and sorted by, and nothing else', () => {
    const title = book.fields[1]!;
    expect(searchedBy(design, book, title)).toEqual([]);
    const asked: Design = {
      ...design,
      tables: design.tables.map((item) =>
        item === book ? { ...book, order: [{ field: 'f_title', descending: false }] } : item,
      ),
      queries: [
        {
          type: 'query',
          id: 'q_1',
          label: 'By title',
          from: 't_b',
          questions: [],
          joins: [],
          where: [{ is: 'so', expression: `"#f_title" LIKE 'A%'` }],
          columns: [],
          group: null,
          keep: [],
          unlike: false,
          sort: [],
          first: null,
        },
      ],
    };
    expect(searchedBy(asked, asked.tables[1]!, title)).toEqual(['the order of books', 'query By title']);
    expect(searchedBy(asked, asked.tables[1]!, book.fields[0]!)).toEqual([]);
  });
});
