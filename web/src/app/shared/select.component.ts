import {
  afterNextRender,
  booleanAttribute,
  Component,
  computed,
  effect,
  inject,
  Injector,
  input,
  output,
  signal,
  untracked,
  viewChild,
  type ElementRef,
} from '@angular/core';
import { NgControl, type ControlValueAccessor } from '@angular/forms';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInputModule } from '@angular/material/input';
import type { MatOption } from '@angular/material/core';
import { MatSelect } from '@angular/material/select';
import { newId } from './ids';
import { SELECT } from './select';

/** One of the choices of a list. */
export interface Option<T extends string = string> {
  readonly id: T;
  readonly label: string;
  /** Options with the same group, which lie next to each other, stand below its name. */
  readonly group?: string;
}

interface Group<T extends string> {
  readonly name: string;
  readonly options: readonly Option<T>[];
}

/** Options from which on there is a line to find them by. */
const MANY = 13;

/** Pairs of an id and what is shown of it, as options. */
export const options = <T extends string>(pairs: readonly (readonly [id: T, label: string])[]): Option<T>[] =>
  pairs.map(([id, label]) => ({ id, label }));

/**
 * A list that drops down, with its label above it; where it has many options they are found by typing. Stands alone
 * (`value`, `changed`), or in a form (`formControlName`).
 */
@Component({
  selector: 'hr-select',
  imports: [MatFormFieldModule, MatInputModule, SELECT],
  host: { class: 'field' },
  template: `
    @if (label()) {
      <span class="label" [id]="inputId() + '-label'">{{ label() }}</span>
    }
    <mat-form-field [class.compact]="compact()">
      <mat-select
        [id]="inputId()"
        [value]="held()"
        [disabled]="off()"
        [placeholder]="placeholder()"
        [aria-label]="label() ? '' : about()"
        [aria-labelledby]="label() ? inputId() + '-label' : ''"
        [attr.cdkFocusInitial]="first() ? '' : null"
        (selectionChange)="take($event.value)"
        (openedChange)="opened($event)"
        (blur)="touch()"
      >
        @if (options().length >= many) {
          <div class="find">
            <input
              #find
              matInput
              type="search"
              autocomplete="off"
              placeholder="Find…"
              [attr.aria-label]="'Find in ' + (label() || about())"
              (input)="seek(find.value)"
              (keydown)="keys($event)"
            />
          </div>
        }
        @for (group of groups(); track group.name) {
          @if (group.name) {
            <mat-optgroup [label]="group.name" [class.gone]="!shows(group)">
              @for (option of group.options; track option.id) {
                <mat-option
                  [value]="option.id"
                  [disabled]="!matches(option)"
                  [class.gone]="!matches(option)"
                  >{{ option.label }}</mat-option
                >
              }
            </mat-optgroup>
          } @else {
            @for (option of group.options; track option.id) {
              <mat-option [value]="option.id" [disabled]="!matches(option)" [class.gone]="!matches(option)">{{
                option.label
              }}</mat-option>
            }
          }
        }
        @if (isNone()) {
          <p class="none soft" role="status">Nothing here has “{{ sought() }}” in it.</p>
        }
      </mat-select>
      @if (hint()) {
        <mat-hint>{{ hint() }}</mat-hint>
      }
    </mat-form-field>
  `,
  styles: `
    .find {
      position: sticky;
      /* Over the room that the list leaves above its first entry. */
      top: -8px;
      margin-top: -8px;
      z-index: 1;
      padding: 6px 16px;
      border-bottom: 1px solid var(--hr-line);
      background: var(--hr-paper);
    }
    .find input {
      width: 100%;
      min-height: 28px;
      border: 0;
      outline: 0;
      background: none;
    }
    .gone {
      display: none;
    }
    .none {
      padding: 8px 12px;
    }
  `,
})
export class SelectComponent<T extends string = string> implements ControlValueAccessor {
  readonly label = input('');
  /** What those hear who listen, where no label is to be seen. */
  readonly about = input('');
  readonly options = input.required<readonly Option<T>[]>();
  readonly value = input<T | null>(null);
  readonly hint = input('');
  readonly placeholder = input('');
  readonly disabled = input(false, { transform: booleanAttribute });
  /** Lower, as it is beside a line of text. */
  readonly compact = input(false, { transform: booleanAttribute });
  /** Whether a dialog begins here. */
  readonly first = input(false, { transform: booleanAttribute });
  readonly inputId = input(newId('select'));
  readonly changed = output<T>();

  private readonly control = inject(NgControl, { self: true, optional: true });
  private readonly injector = inject(Injector);
  private readonly list = viewChild.required(MatSelect);
  private readonly find = viewChild<ElementRef<HTMLInputElement>>('find');
  private readonly isOff = signal(false);
  private tell: (id: T) => void = () => undefined;
  protected touch: () => void = () => undefined;
  protected readonly many = MANY;
  protected readonly held = signal<T | null>(null);
  protected readonly sought = signal('');
  protected readonly off = computed(() => this.disabled() || this.isOff());
  protected readonly groups = computed((): Group<T>[] => {
    const names = [...new Set(this.options().map(({ group }) => group ?? ''))];
    return names.map((name) => ({
      name,
      options: this.options().filter(({ group }) => (group ?? '') === name),
    }));
  });
  protected readonly isNone = computed(() => !this.options().some((option) => this.matches(option)));

  constructor() {
    if (this.control) this.control.valueAccessor = this;
    effect(() => {
      const value = this.value();
      if (value !== null || !this.control) untracked(() => this.held.set(value));
    });
  }

  writeValue(id: T | null): void {
    this.held.set(id);
  }

  registerOnChange(tell: (id: T) => void): void {
    this.tell = tell;
  }

  registerOnTouched(touch: () => void): void {
    this.touch = touch;
  }

  setDisabledState(isOff: boolean): void {
    this.isOff.set(isOff);
  }

  focus(): void {
    this.list().focus();
  }

  protected take(id: T): void {
    this.held.set(id);
    this.tell(id);
    this.changed.emit(id);
    if (this.control) return;
    // A list to add from goes back to what it shows, and one whose choice was not taken to what stands.
    this.soon(() => {
      const value = this.value();
      if (value === id) return;
      this.held.set(value);
      this.list().value = value;
    });
  }

  protected opened(isOpen: boolean): void {
    const find = this.find()?.nativeElement;
    if (!find) return;
    // The list is drawn with the next look at the page.
    if (isOpen) this.soon(() => find.focus());
    else {
      find.value = '';
      this.sought.set('');
      // The focus stood in what goes.
      this.soon(() => {
        const at = document.activeElement;
        if (at === find || at === document.body) this.list().focus();
      });
    }
  }

  protected seek(text: string): void {
    this.sought.set(text);
    // Enter takes the first that is left.
    this.soon(() => this.go(0, 1));
  }

  protected matches({ label }: Option): boolean {
    return label.toLocaleLowerCase().includes(this.sought().trim().toLocaleLowerCase());
  }

  protected shows({ options: list }: Group<T>): boolean {
    return list.some((option) => this.matches(option));
  }

  /** What is typed to find an option must not choose one by its first letter as well. */
  protected keys(event: KeyboardEvent): void {
    const { key } = event;
    if (key.length === 1 || key === 'Home' || key === 'End') event.stopPropagation();
    if (key === 'ArrowDown' || key === 'ArrowUp') {
      // The library would go to those that are not shown as well.
      event.preventDefault();
      event.stopPropagation();
      const by = key === 'ArrowDown' ? 1 : -1;
      this.go((this.list()._keyManager.activeItemIndex ?? -1) + by, by);
    }
    if (key === 'Enter') {
      // The list would close, and the field that the key comes by next would open it again.
      event.preventDefault();
      event.stopPropagation();
      // Typed quickly, the list is not drawn anew yet: what is taken goes with what stands in the line.
      const fits = (option: MatOption | null): boolean =>
        option !== null && this.matches({ id: '', label: option.viewValue });
      const active = this.list()._keyManager.activeItem;
      const option = fits(active) ? active : this.list().options.find(fits);
      option?._selectViaInteraction();
    }
    // On from the field, not from what lies above the page.
    if (key === 'Tab') {
      this.list().close();
      this.list().focus();
    }
  }

  /** Makes the first option active that is shown, from a place on. */
  private go(from: number, by: 1 | -1): void {
    const options = this.list().options.toArray();
    for (let at = from; at >= 0 && at < options.length; at += by) {
      if (options[at]!.disabled) continue;
      this.list()._keyManager.setActiveItem(at);
      return;
    }
  }

  private soon(work: () => void): void {
    afterNextRender(work, { injector: this.injector });
  }
}
