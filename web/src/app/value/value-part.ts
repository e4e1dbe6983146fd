import {
  computed,
  Directive,
  inject,
  InjectionToken,
  linkedSignal,
  untracked,
  type Signal,
} from '@angular/core';
import { comesWithText, valueKind, type Field } from '@heathridge/core/design';
import { editText, isNumeric, readValue, showValue, type Reading, type Value } from '@heathridge/core/values';
import type { Fetch, Held } from './held';

/** What the input of a value is told from outside, and tells. */
export interface ValueContext {
  readonly field: Signal<Field>;
  readonly held: Signal<Held>;
  readonly reading: Signal<Reading>;
  readonly readonly: Signal<boolean>;
  readonly inputId: Signal<string>;
  readonly label: Signal<string | null>;
  /** What is wrong with it, to be shown with it; empty where nothing is. */
  readonly says: Signal<string>;
  readonly wrong: Signal<boolean>;
  readonly canAdd: Signal<boolean>;
  readonly fetch: Signal<Fetch>;
  readonly row: Signal<Readonly<Record<string, Value>> | null>;
  emit(held: Held): void;
  /** Somebody wants to add a row to the table of a lookup, with this text to begin with. */
  add(text: string): void;
}

export const VALUE = new InjectionToken<ValueContext>('the input of a value');

/** The part of the input of a value that is made for its kind. */
@Directive()
export abstract class ValuePart {
  readonly at = inject(VALUE);

  /** Puts the cursor here, with all of the text picked, or behind a first character typed elsewhere. */
  abstract focus(start?: string): void;

  /**
   * What the field would hold if it were left now; nothing changes by asking. What cannot be read stays as it was
   * typed, with the reason; a lookup's text that is to be searched is marked as `sought`.
   */
  current(): Held {
    return this.at.held();
  }

  /** Whether something is typed that has not been read yet. */
  isTyping(): boolean {
    return false;
  }
}

/** A part in which a text is typed, which becomes a value when it is left. */
@Directive()
export abstract class TypedPart extends ValuePart {
  /**
   * What stands in the line while it is being typed in; null while the value is shown. A value that comes from
   * outside ends what is being typed, unless it is the one that stands there.
   */
  protected readonly draft = linkedSignal<Held, string | null>({
    source: this.at.held,
    computation: (held, before) => {
      const draft = before?.value ?? null;
      if (draft === null || held.typed !== undefined) return null;
      // The same value once more, as of a record that is read anew: what is picked in the line stays so.
      const text = untracked(() => editText(this.kind(), held.value, this.at.reading().locale));
      return text === draft ? draft : null;
    },
  });
  protected readonly kind = computed(() => valueKind(this.at.field().type));
  protected readonly numeric = computed(() => isNumeric(this.kind()));
  /** Whether the way in was a click, which puts the cursor somewhere itself. */
  protected pointed = false;
  protected readonly shown = computed(() => {
    const draft = this.draft();
    if (draft !== null) return draft;
    const { typed, text, value } = this.at.held();
    if (typed !== undefined) return typed;
    if (comesWithText(this.at.field())) return text ?? '';
    return showValue(this.kind(), value, this.at.reading().locale);
  });

  protected abstract element(): HTMLInputElement | HTMLTextAreaElement;

  override focus(start?: string): void {
    const element = this.element();
    element.focus();
    if (start === undefined) element.select();
    else {
      element.value = start;
      this.type(start);
    }
  }

  /**
   * Shows the value as it is typed, at once and picked whole: a new text moves the cursor to its end, and what was
   * picked by the way in (such as Tab) can't be told yet. Not after a click, which puts the cursor somewhere itself.
   */
  protected begin(): void {
    const { held, readonly, reading } = this.at;
    if (readonly() || this.isTyping() || held().typed !== undefined) return;
    const element = this.element();
    const text = editText(this.kind(), held().value, reading().locale);
    if (element.value !== text) {
      element.value = text;
      if (!this.pointed) element.select();
    }
    this.draft.set(text);
  }

  protected type(text: string): void {
    this.draft.set(text);
  }

  override current(): Held {
    const [draft, held] = [this.draft(), this.at.held()];
    if (draft === null || this.at.readonly()) return held;
    const read = readValue(this.kind(), draft, this.at.reading());
    if (!read.ok) return { value: held.value, typed: draft, problem: read.message };
    return held.problem === undefined && read.value === held.value ? held : { value: read.value };
  }

  override isTyping(): boolean {
    return this.draft() !== null;
  }

  /** Takes what was typed. */
  protected leave(): void {
    this.pointed = false;
    if (this.draft() === null || this.at.readonly()) return;
    const now = this.current();
    this.draft.set(null);
    if (now !== this.at.held()) this.at.emit(now);
  }
}
