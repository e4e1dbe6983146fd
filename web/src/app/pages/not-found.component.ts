import { Component } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { RouterLink } from '@angular/router';

@Component({
  selector: 'hr-not-found',
  imports: [MatButton, RouterLink],
  template: `<main class="empty">
    <h1>There is nothing at this address</h1>
    <p>It may have been renamed or dropped.</p>
    <a matButton="filled" routerLink="/files">To the files</a>
  </main>`,
})
export class NotFoundComponent {}
