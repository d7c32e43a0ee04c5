import { provideHttpClient, withInterceptors } from '@angular/common/http';
import { inject, provideAppInitializer, provideBrowserGlobalErrorListeners, type ApplicationConfig } from '@angular/core';
import { provideRouter, withComponentInputBinding, withInMemoryScrolling } from '@angular/router';
import { providePrimeNG } from 'primeng/config';
import { sessionInterceptor } from './access/session.interceptor.ts';
import { SessionStore } from './access/session.store.ts';
import { routes } from './app.routes.ts';
import { paperPreset } from './paper.preset.ts';
import { jobInterceptor } from './work/job.interceptor.ts';

export const appConfig: ApplicationConfig = {
  providers: [
    provideBrowserGlobalErrorListeners(),
    provideRouter(routes, withComponentInputBinding(), withInMemoryScrolling({ scrollPositionRestoration: 'top' })),
    provideHttpClient(withInterceptors([sessionInterceptor, jobInterceptor])),
    providePrimeNG({
      theme: { preset: paperPreset, options: { darkModeSelector: false, cssLayer: { name: 'primeng', order: 'primeng' } } },
      ripple: false,
    }),
    provideAppInitializer(() => inject(SessionStore).start()),
  ],
};
