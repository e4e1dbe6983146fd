import { pluralOf, singularOf } from './plural';

describe('words for many', () => {
  it('are plurals by the rules of English spelling', () => {
    expect(['Person', 'Child', 'Shelf'].map(pluralOf)).toEqual(['People', 'Children', 'Shelves']);
    expect(['Player', 'Family', 'Day', 'Box', 'Branch', 'Class'].map(pluralOf)).toEqual([
      'Players',
      'Families',
      'Days',
      'Boxes',
      'Branches',
      'Classes',
    ]);
  });

  it('are singulars again by the same rules, where they are plurals', () => {
    for (const label of ['Player', 'Family', 'Day', 'Box', 'Branch', 'Class', 'Sales order'])
      expect(singularOf(pluralOf(label))).toBe(label);
    for (const label of ['Status', 'Address', 'Basis', 'Staff']) expect(singularOf(label)).toBe(label);
  });
});
