import { inject } from '@angular/core';
import { Router, type CanActivateFn } from '@angular/router';
import type { Role } from '@nudrik/contract';
import { homeOf, SessionStore } from './session.store.ts';

/** Lets some roles in; others go to where their own work is. The server checks again at every request. */
export const forRoles =
  (...roles: Role[]): CanActivateFn =>
  (_route, state) => {
    const account = inject(SessionStore).account();
    const router = inject(Router);
    if (!account) return router.createUrlTree(['/sign-in'], { queryParams: state.url === '/' ? {} : { back: state.url } });
    return roles.includes(account.role) || router.parseUrl(homeOf(account.role));
  };
