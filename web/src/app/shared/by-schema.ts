import type { AbstractControl, ValidatorFn } from '@angular/forms';
import * as v from 'valibot';

/** The key under which a control holds what is wrong with it. */
const SAYS = 'says';

/** Validates what stands in a control of a form by a schema, whose words the control then holds: {@link faultOf}. */
export const bySchema =
  (schema: v.GenericSchema): ValidatorFn =>
  ({ value }) => {
    const result = v.safeParse(schema, value);
    return result.success ? null : { [SAYS]: result.issues[0].message };
  };

/** What is wrong with a control, in words; empty where nothing is. */
export const faultOf = (control: AbstractControl): string =>
  (control.errors?.[SAYS] as string | undefined) ?? '';

/** Puts what the server says of a control where its schema's words stand, until something else is typed. */
export function refuse(control: AbstractControl, says: string): void {
  control.setErrors({ [SAYS]: says });
  control.markAsTouched();
}
