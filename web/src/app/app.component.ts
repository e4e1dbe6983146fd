import { Component } from '@angular/core';
import { RouterOutlet } from '@angular/router';

@Component({ selector: 'hr-root', imports: [RouterOutlet], template: '<router-outlet />' })
export class AppComponent {}
