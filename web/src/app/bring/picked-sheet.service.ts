import { Injectable } from '@angular/core';

/** A sheet that was dropped or chosen on another page, on its way to where it is brought in. */
@Injectable({ providedIn: 'root' })
export class PickedSheet {
  private picked: File | null = null;

  put(file: File): void {
    this.picked = file;
  }

  /** Gives it once. */
  take(): File | null {
    const { picked } = this;
    this.picked = null;
    return picked;
  }
}
