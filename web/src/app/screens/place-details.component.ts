import { booleanAttribute, Component, inject, input } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatIconModule } from '@angular/material/icon';
import { SelectComponent } from '../shared/select.component';
import { FormEditor } from './form-editor.service';

/** Where what is picked stands: in which section or on which tab, before or behind what, or nowhere. */
@Component({
  selector: 'hr-place-details',
  imports: [MatButton, MatIconModule, SelectComponent],
  template: `
    @if (isPut() && !editor.isList()) {
      <hr-select
        label="It stands"
        [options]="editor.places()"
        [value]="editor.place()"
        (changed)="editor.put($event)"
      />
    }
    @if (editor.picked().length === 1) {
      <div class="field">
        <span class="label">Order</span>
        <div class="row">
          <button matButton="outlined" class="compact" type="button" (click)="editor.movePicked(-1)">
            <mat-icon svgIcon="arrow_upward" />earlier
          </button>
          <button matButton="outlined" class="compact" type="button" (click)="editor.movePicked(1)">
            <mat-icon svgIcon="arrow_downward" />later
          </button>
        </div>
      </div>
    }
    @if (isPut()) {
      <button matButton="outlined" type="button" (click)="editor.hide()">
        <mat-icon svgIcon="visibility_off" />Take off the form
      </button>
    } @else {
      <button matButton="outlined" type="button" (click)="editor.takeApart()">Take it apart</button>
      <p class="soft small">What stands in it stays on the form.</p>
    }
  `,
  styles: `
    :host {
      display: grid;
      gap: 12px;
      justify-items: start;
    }
    hr-select {
      width: 100%;
    }
  `,
})
export class PlaceDetailsComponent {
  readonly editor = inject(FormEditor);
  /** Whether it is put somewhere as it is; what holds others is taken apart. */
  readonly isPut = input(true, { transform: booleanAttribute });
}
