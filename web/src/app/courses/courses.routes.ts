import type { Routes } from '@angular/router';
import { askBeforeLeaving } from '../shared/leave.ts';
import { forRoles } from '../access/guards.ts';
import { CoursesPage } from './courses.page.ts';

export const routes: Routes = [
  { path: '', component: CoursesPage },
  {
    path: 'new',
    canActivate: [forRoles('administrator', 'trainer')],
    loadComponent: () => import('./course.page.ts').then((m) => m.CoursePage),
    canDeactivate: [askBeforeLeaving],
  },
  { path: ':course', loadComponent: () => import('./course.page.ts').then((m) => m.CoursePage), canDeactivate: [askBeforeLeaving] },
];
