import type { Routes } from '@angular/router';
import { PlansPage } from './plans.page.ts';

export const routes: Routes = [
  { path: '', component: PlansPage },
  { path: ':course', loadComponent: () => import('./plan.page.ts').then((m) => m.PlanPage) },
];
