import type { Routes } from '@angular/router';
import { askBeforeLeaving } from '../shared/leave.ts';
import { forRoles } from '../access/guards.ts';
import { RequirementsPage } from './requirements.page.ts';

const administrators = [forRoles('administrator')];

export const routes: Routes = [
  { path: '', component: RequirementsPage },
  {
    path: 'new',
    canActivate: administrators,
    loadComponent: () => import('./requirement-edit.page.ts').then((m) => m.RequirementEditPage),
    canDeactivate: [askBeforeLeaving],
  },
  { path: 'waivers', loadComponent: () => import('../assignments/waivers.page.ts').then((m) => m.WaiversPage) },
  { path: 'by-hand', loadComponent: () => import('../assignments/acts.page.ts').then((m) => m.ActsPage) },
  {
    path: 'completions',
    canActivate: administrators,
    loadComponent: () => import('../assignments/completions.page.ts').then((m) => m.CompletionsPage),
  },
  { path: ':id', loadComponent: () => import('./requirement.page.ts').then((m) => m.RequirementPage) },
  {
    path: ':id/edit',
    canActivate: administrators,
    loadComponent: () => import('./requirement-edit.page.ts').then((m) => m.RequirementEditPage),
    canDeactivate: [askBeforeLeaving],
  },
];
