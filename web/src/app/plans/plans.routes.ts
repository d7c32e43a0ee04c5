import type { Routes } from '@angular/router';
import { askBeforeLeaving } from '../shared/leave.ts';
import { PlansPage } from './plans.page.ts';

export const routes: Routes = [
  { path: '', component: PlansPage },
  {
    path: 'rehearsal',
    title: 'Rehearsal · Nudrik',
    loadComponent: () => import('../rehearsal/rehearsal.page.ts').then((m) => m.RehearsalPage),
  },
  {
    path: 'messages',
    title: 'Messages · Nudrik',
    loadComponent: () => import('../messages/library.page.ts').then((m) => m.LibraryPage),
  },
  {
    path: 'messages/:course/:step',
    title: 'A message · Nudrik',
    loadComponent: () => import('../messages/library.page.ts').then((m) => m.LibraryPage),
  },
  { path: ':course', loadComponent: () => import('./plan.page.ts').then((m) => m.PlanPage), canDeactivate: [askBeforeLeaving] },
];
