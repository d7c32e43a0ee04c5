import type { Routes } from '@angular/router';
import { forRoles } from '../access/guards.ts';
import { PeoplePage } from './people.page.ts';

export const routes: Routes = [
  { path: '', component: PeoplePage },
  { path: 'import', canActivate: [forRoles('administrator')], loadComponent: () => import('./import.page.ts').then((m) => m.ImportPage) },
  { path: 'imports', loadComponent: () => import('./imports.page.ts').then((m) => m.ImportsPage) },
  { path: 'structure', loadComponent: () => import('../structure/structure.page.ts').then((m) => m.StructurePage) },
  { path: 'feed', loadComponent: () => import('../feed/feed.page.ts').then((m) => m.FeedPage) },
  { path: ':person', component: PeoplePage },
];
