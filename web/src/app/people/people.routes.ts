import type { Routes } from '@angular/router';
import { forRoles } from '../access/guards.ts';
import { PeoplePage } from './people.page.ts';

export const routes: Routes = [
  { path: '', component: PeoplePage },
  { path: 'import', canActivate: [forRoles('administrator')], loadComponent: () => import('./import.page.ts').then((m) => m.ImportPage) },
  { path: ':person', component: PeoplePage },
];
