import { validateTables, type Design, type DesignProblem } from '../design';
import { lookupProblems } from '../query';

/** Everything that keeps the tables of a design from being made, what their lookups read of its queries too. */
export function validateDesign(design: Design): DesignProblem[] {
  const problems = validateTables(design);
  // Over tables that do not hold nothing can be told of queries.
  return problems.length > 0 ? problems : lookupProblems(design);
}
