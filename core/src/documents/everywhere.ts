import { type Design, type DesignDocument, type Field, type Form, type Report, type Table } from '../design';
import { cellFor, cellsOf, levelOf, allLevels, mapParts, withColumn, withPartAdded } from '../form';

/**
 * The forms and reports that show rows of a table and one of these fields not: where a field that has come to the table
 * could be put.
 */
export const couldShow = (
  design: Design,
  table: Table,
  fields: readonly Field[],
): readonly (Form | Report)[] => [
  ...design.forms.filter((form) => withFields(design, form, table, fields) !== form),
  ...design.reports.filter((report) => withFields(design, report, table, fields) !== report),
];

/**
 * A document with fields of a table wherever it shows rows of it: on a form behind the cells of the record, in a
 * subform in the order of the table, in a report as its last columns. The document itself where nothing is missing.
 */
export function withFields<D extends DesignDocument>(
  design: Design,
  document: D,
  table: Table,
  fields: readonly Field[],
): D {
  if (document.type === 'form') return onForm(design, document, table, fields) as D;
  if (document.type === 'report') return onReport(document, table, fields) as D;
  return document;
}

function onForm(design: Design, form: Form, table: Table, fields: readonly Field[]): Form {
  const level = levelOf(design, form);
  const lacks = level
    ? allLevels(level).some(
        (at) =>
          at.table.id === table.id &&
          fields.some(
            ({ id }) =>
              id !== at.link?.id && !cellsOf((at.subform ?? form).parts).some((cell) => cell.field === id),
          ),
      )
    : false;
  if (!lacks) return form;
  const missing = (parts: Form['parts'], link: string | null): Field[] => {
    const shown = new Set(cellsOf(parts).map(({ field }) => field));
    return fields.filter(({ id }) => id !== link && !shown.has(id));
  };
  const within = mapParts(form.parts, (part) => {
    const ofTable = part.part === 'subform' && table.fields.some(({ id }) => id === part.link);
    if (!ofTable) return part;
    const parts = missing(part.parts, part.link).reduce(
      (list, field) => withColumn(table, list, cellFor(field)),
      part.parts,
    );
    return { ...part, parts };
  });
  const own = form.table === table.id ? missing(form.parts, null) : [];
  return { ...form, parts: own.map(cellFor).reduce(withPartAdded, within) };
}

function onReport(report: Report, table: Table, fields: readonly Field[]): Report {
  if (report.source.kind !== 'table' || report.source.id !== table.id) return report;
  const missing = fields.filter(({ id }) => !report.columns.some(({ column }) => column === id));
  if (missing.length === 0) return report;
  const columns = missing.map(({ id, label }) => ({ column: id, label, sum: false }));
  return { ...report, columns: [...report.columns, ...columns] };
}
