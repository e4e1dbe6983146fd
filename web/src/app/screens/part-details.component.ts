import { Component, inject, input } from '@angular/core';
import { MatButton, MatIconButton } from '@angular/material/button';
import { MatIconModule } from '@angular/material/icon';
import type { FieldType, FormPart, FormWorked } from '@heathridge/core/design';
import { TypeSettingsComponent } from '../file/type-settings.component';
import { newId } from '../shared/ids';
import { LineComponent } from '../shared/line.component';
import { SegmentsComponent } from '../shared/segments.component';
import { SelectComponent } from '../shared/select.component';
import { ButtonDetailsComponent } from './button-details.component';
import { LABELS, WIDTHS } from './details';
import { FormEditor } from './form-editor.service';
import { PlaceDetailsComponent } from './place-details.component';

const NOTES = [
  ['heading', 'a heading'],
  ['note', 'a note'],
] as const;

/** A part that is none of a field and none of rows: a note, something worked out, a section, tabs. */
@Component({
  selector: 'hr-part-details',
  imports: [
    ButtonDetailsComponent,
    LineComponent,
    MatButton,
    MatIconButton,
    MatIconModule,
    PlaceDetailsComponent,
    SegmentsComponent,
    SelectComponent,
    TypeSettingsComponent,
  ],
  template: `
    @let at = part();
    @if (at.part === 'note') {
      <h2>{{ at.look === 'heading' ? 'Heading' : 'Note' }}</h2>
      <hr-line
        label="Words"
        most="2000"
        needed="A note needs words: those it has stay."
        [value]="at.text"
        (changed)="editor.setPart({ text: $event.trim() })"
      />
      <hr-segments
        label="Shown as"
        [choices]="notes"
        [value]="at.look"
        (changed)="editor.setPart({ look: $event })"
      />
      <hr-place-details />
    } @else if (at.part === 'worked') {
      <h2>Worked out</h2>
      <hr-line
        label="Label"
        most="60"
        needed="A label is needed: the one it has stays."
        [value]="at.label"
        (changed)="editor.setPart({ label: $event.trim() })"
      />
      <hr-type-settings
        prefix="worked"
        [type]="typeOf(at)"
        [catalog]="editor.store.catalog()"
        [table]="editor.levelTable()"
        (changed)="setWorked($event)"
      />
      @if (!editor.isList()) {
        <hr-segments
          label="Width, of 12"
          [choices]="widths"
          [value]="at.width"
          (changed)="editor.setPart({ width: $event })"
        />
        <hr-select
          label="Its label stands"
          [options]="labels"
          [value]="at.labelAt ?? 'above'"
          (changed)="editor.setPart({ labelAt: $event })"
        />
      }
      <hr-place-details />
    } @else if (at.part === 'button') {
      <hr-button-details [part]="at" />
    } @else if (at.part === 'picture') {
      <h2>Picture</h2>
      <img [src]="at.source" alt="" />
      <hr-line
        label="What it shows, for who does not see it"
        most="60"
        needed="It needs words: those it has stay."
        [value]="at.about"
        (changed)="editor.setPart({ about: $event.trim() })"
      />
      <hr-segments
        label="Width, of 12"
        [choices]="widths"
        [value]="at.width"
        (changed)="editor.setPart({ width: $event })"
      />
      <hr-place-details />
    } @else if (at.part === 'section') {
      <h2>Section</h2>
      <hr-line
        label="Heading"
        most="60"
        needed="A heading is needed: the one it has stays."
        [value]="at.label"
        (changed)="editor.setPart({ label: $event.trim() })"
      />
      <hr-place-details [isPut]="false" />
    } @else if (at.part === 'tabs') {
      <h2>Tabs</h2>
      @for (tab of at.tabs; track tab.id; let i = $index) {
        <div class="row">
          <hr-line
            class="grow"
            most="60"
            needed="A tab needs a name: the one it has stays."
            [about]="'Name of tab ' + (i + 1)"
            [value]="tab.label"
            (changed)="setTab(tab.id, $event.trim())"
          />
          <button
            matIconButton
            type="button"
            [disabled]="at.tabs.length === 1"
            [attr.aria-label]="'Take tab ' + tab.label + ' away'"
            (click)="dropTab(tab.id)"
          >
            <mat-icon svgIcon="close" />
          </button>
        </div>
      }
      <button matButton="outlined" type="button" (click)="addTab()">
        <mat-icon svgIcon="add" />Another tab
      </button>
      <hr-place-details [isPut]="false" />
    }
  `,
  styles: `
    :host {
      display: grid;
      gap: 12px;
    }
    img {
      max-width: 100%;
      max-height: 120px;
      justify-self: start;
    }
  `,
})
export class PartDetailsComponent {
  readonly editor = inject(FormEditor);
  readonly part = input.required<FormPart>();
  readonly widths = WIDTHS;
  readonly labels = LABELS;
  readonly notes = NOTES;

  /** What is worked out, as settings for it have it. */
  typeOf({ expression, result }: FormWorked): FieldType {
    return { kind: 'workedOut', expression, result };
  }

  setWorked(type: FieldType): void {
    if (type.kind !== 'workedOut') return;
    const { expression, result } = type;
    this.editor.change((part) => (part.part === 'worked' ? { ...part, expression, result } : part));
  }

  setTab(id: string, label: string): void {
    this.editor.change((part) =>
      part.part === 'tabs'
        ? { ...part, tabs: part.tabs.map((tab) => (tab.id === id ? { ...tab, label } : tab)) }
        : part,
    );
  }

  addTab(): void {
    this.editor.change((part) =>
      part.part === 'tabs'
        ? { ...part, tabs: [...part.tabs, { id: newId('y'), label: 'Another tab', parts: [] }] }
        : part,
    );
  }

  /** Takes a tab away; what stood on it stands on the one before, or the one behind the first. */
  dropTab(id: string): void {
    this.editor.change((part) => {
      if (part.part !== 'tabs' || part.tabs.length < 2) return part;
      const at = part.tabs.findIndex((tab) => tab.id === id);
      const to = at === 0 ? 1 : at - 1;
      const moved = part.tabs[at]?.parts ?? [];
      return {
        ...part,
        tabs: part.tabs.flatMap((tab, i) =>
          i === at ? [] : [i === to ? { ...tab, parts: [...tab.parts, ...moved] } : tab],
        ),
      };
    });
  }
}
