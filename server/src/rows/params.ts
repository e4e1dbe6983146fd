/** Collects the values of a statement and gives each its numbered place, `?1`, `?2`, … */
export class Params {
  readonly values: (string | number)[] = [];

  add(value: string | number): string {
    this.values.push(value);
    return `?${this.values.length}`;
  }
}
