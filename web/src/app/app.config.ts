import { provideHttpClient, withFetch, withInterceptors } from '@angular/common/http';
import {
  inject,
  provideAppInitializer,
  provideBrowserGlobalErrorListeners,
  provideZonelessChangeDetection,
  type ApplicationConfig,
} from '@angular/core';
import { MAT_RIPPLE_GLOBAL_OPTIONS } from '@angular/material/core';
import { MAT_DIALOG_DEFAULT_OPTIONS, MatDialogConfig } from '@angular/material/dialog';
import {
  MAT_FORM_FIELD_DEFAULT_OPTIONS,
  type MatFormFieldDefaultOptions,
} from '@angular/material/form-field';
import { MatIconRegistry } from '@angular/material/icon';
import { DomSanitizer } from '@angular/platform-browser';
import { provideRouter, withComponentInputBinding, withNavigationErrorHandler } from '@angular/router';
import { routes } from './app.routes';
import { withRole } from './shared/as-role';
import { ICONS } from './shared/icons';
import { Toast } from './shared/toast.service';
import { provideIsoDates } from './value/iso-date-adapter';

export const appConfig: ApplicationConfig = {
  providers: [
    provideBrowserGlobalErrorListeners(),
    provideZonelessChangeDetection(),
    provideHttpClient(withFetch(), withInterceptors([withRole])),
    provideRouter(
      routes,
      withComponentInputBinding(),
      withNavigationErrorHandler(() => inject(Toast).unread()),
    ),
    provideIsoDates(),
    {
      provide: MAT_FORM_FIELD_DEFAULT_OPTIONS,
      useValue: { appearance: 'outline', subscriptSizing: 'dynamic' } satisfies MatFormFieldDefaultOptions,
    },
    { provide: MAT_RIPPLE_GLOBAL_OPTIONS, useValue: { disabled: true } },
    // The focus goes in as soon as the dialog is there. After the fading-in it would be taken from whoever
    // has begun to type by then, and the rest of a word would land in another field.
    {
      provide: MAT_DIALOG_DEFAULT_OPTIONS,
      useFactory: (): MatDialogConfig => ({ ...new MatDialogConfig(), delayFocusTrap: false }),
    },
    provideAppInitializer(() => {
      const [registry, sanitizer] = [inject(MatIconRegistry), inject(DomSanitizer)];
      for (const [name, svg] of Object.entries(ICONS))
        registry.addSvgIconLiteral(
          name,
          // As a block, so that it fills its box and no line of text makes that higher.
          sanitizer.bypassSecurityTrustHtml(svg.replace('<svg ', '<svg display="block" ')),
        );
    }),
  ],
};
