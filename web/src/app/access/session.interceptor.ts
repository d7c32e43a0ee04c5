import { HttpErrorResponse, type HttpInterceptorFn } from '@angular/common/http';
import { inject } from '@angular/core';
import { Router } from '@angular/router';
import { catchError, throwError } from 'rxjs';
import { SessionStore } from './session.store.ts';

/** Sends the page's token with what changes something; leads to the sign-in when the session has ended. */
export const sessionInterceptor: HttpInterceptorFn = (request, next) => {
  const session = inject(SessionStore);
  const router = inject(Router);
  const keyed = request.method === 'GET' ? request : request.clone({ setHeaders: { 'x-csrf-token': session.csrf() } });
  return next(keyed).pipe(
    catchError((error: unknown) => {
      if (error instanceof HttpErrorResponse && error.status === 401 && error.error?.code === 'not-signed-in') {
        session.forget();
        if (!router.url.startsWith('/sign-in')) void router.navigate(['/sign-in'], { queryParams: { back: router.url, ended: '' } });
      }
      return throwError(() => error);
    }),
  );
};
