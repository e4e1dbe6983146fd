import { attempt } from '../expression';
import {
  boundIn,
  conditionIn,
  fieldOf,
  fits,
  isGiven,
  typeOf,
  type ButtonAct,
  type Design,
  type Table,
} from '../design';
import { answeringProblem } from '../query';
import { reportProblems } from '../report';
import { answersAny, changedTable, queryOfReport, reportLink, wayOf } from './buttons';

/** What keeps a button from doing what it says, for the rows of a table. */
export function* buttonProblems(
  design: Design,
  table: Table,
  { label, does }: { readonly label: string; readonly does: ButtonAct },
): Generator<string> {
  const at = `The button ${label}`;
  if (does.act === 'print') {
    if (does.report === null) return;
    const report = design.reports.find(({ id }) => id === does.report);
    if (!report) yield `${at} prints a report that is no longer there.`;
    else if (reportProblems(design, report).length > 0)
      yield `${at} prints a report that cannot be laid out.`;
    else if (reportLink(design, table, report) === undefined && !answersAny(design, report, does.answers))
      yield `${at} prints a report whose rows do not belong to ${table.plural.toLowerCase()}, and which asks nothing that is answered by them.`;
    const query = report && queryOfReport(design, report);
    const problem = query && answeringProblem(design, query, table, does.answers ?? []);
    if (problem) yield `${at}: ${problem}`;
    return;
  }
  if (does.act === 'open') {
    const screen = design.forms.find(({ id }) => id === does.screen);
    if (!screen) yield `${at} opens a screen that is no longer there.`;
    else if (!wayOf(design, table, screen, does.link))
      yield `${at} opens ${screen.label}, to which nothing leads from here any more.`;
    return;
  }
  const changed = changedTable(design, table, does);
  if (!changed) {
    yield `${at} changes rows that are no longer there.`;
    return;
  }
  if (does.sets.length === 0) yield `${at} sets no field yet.`;
  for (const condition of does.conditions) {
    const bound = attempt(() => conditionIn(design, changed.id, condition));
    if (!bound.ok) yield `Which rows ${label} changes cannot be worked out: ${bound.error.message}`;
  }
  for (const { field: id, expression } of does.sets) {
    const field = fieldOf(changed, id);
    if (!field) {
      yield `${at} sets a field that is no longer there.`;
      continue;
    }
    if (isGiven(field) || field.type.kind === 'picture' || field.type.kind === 'file') {
      yield `${at} cannot set ${field.label}.`;
      continue;
    }
    const bound = attempt(() => boundIn(design, changed.id, expression).bound);
    if (!bound.ok) yield `What ${label} sets ${field.label} to cannot be worked out: ${bound.error.message}`;
    else if (!fits(bound.value.type, typeOf(design, field.type)))
      yield `What ${label} sets ${field.label} to is of another kind.`;
  }
}
