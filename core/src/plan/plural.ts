import pluralize from 'pluralize';

/** A plural by the rules of English spelling and their exceptions; the builder may change it. */
export const pluralOf = (label: string): string => pluralize.plural(label);

/** A singular by the same rules; a word that is none already (`address`, `status`, `basis`) stays as it is. */
export const singularOf = (label: string): string =>
  /(ss|us|is)$/i.test(label) ? label : pluralize.singular(label);
