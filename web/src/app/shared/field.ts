import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInputModule } from '@angular/material/input';
import { WrongDirective } from './wrong.directive';

/** What a component needs that has fields of Material with lines to type in. */
export const FIELD = [MatFormFieldModule, MatInputModule, WrongDirective] as const;
