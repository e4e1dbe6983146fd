import { Component, computed, inject } from '@angular/core';
import { toSignal } from '@angular/core/rxjs-interop';
import { catchError, EMPTY } from 'rxjs';
import { Api } from '../shared/api.service';
import { sizeText } from '../shared/size';
import { FileStore } from './file.store';

/** How much room the pictures and files of a database take, of what there is: said where fields for them are made. */
@Component({
  selector: 'hr-room',
  template: `<p class="room">{{ says() }}</p>`,
  styles: `
    .room {
      margin: 0;
      min-height: 1lh;
      color: var(--hr-soft);
      font-size: var(--hr-text-small);
    }
  `,
})
export class RoomComponent {
  private readonly room = toSignal(
    // It is a hint: where it cannot be had nothing is said.
    inject(Api)
      .attached(inject(FileStore).file)
      .pipe(catchError(() => EMPTY)),
  );
  readonly says = computed(() => {
    const room = this.room();
    return room
      ? `The pictures and files of this database take ${sizeText(room.bytes)} of ${sizeText(room.most)}.`
      : '';
  });
}
