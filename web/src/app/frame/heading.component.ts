import { booleanAttribute, Component, input, output } from '@angular/core';
import { LineComponent } from '../shared/line.component';

/** The head of a page on which one thing is edited: its name, whether it is saved, and what may be done with it. */
@Component({
  selector: 'hr-heading',
  imports: [LineComponent],
  template: `
    <hr-line
      class="title"
      most="60"
      needed="A name is needed: the one it has stays."
      [about]="about()"
      [value]="name()"
      (changed)="renamed.emit($event)"
    />
    @if (dirty()) {
      <span class="tag gorse">not saved yet</span>
    }
    <span class="grow"></span>
    <ng-content />
  `,
  styles: `
    :host {
      display: flex;
      flex: none;
      align-items: center;
      flex-wrap: wrap;
      gap: 8px;
      min-width: 0;
      min-height: 54px;
      padding: 6px 18px;
      border-bottom: 1px solid var(--hr-line);
      background: var(--hr-paper);
    }
    .title {
      flex: 0 1 300px;
      min-width: 80px;
      margin-left: -9px;
    }
  `,
})
export class HeadingComponent {
  /** What is named here, for those who listen: `Name of the query`. */
  readonly about = input.required<string>();
  readonly name = input.required<string>();
  readonly dirty = input(false, { transform: booleanAttribute });
  readonly renamed = output<string>();
}
