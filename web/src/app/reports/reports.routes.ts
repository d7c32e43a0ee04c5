import type { Routes } from '@angular/router';
import { MatrixPage } from './matrix.page.ts';

export const routes: Routes = [
  { path: '', component: MatrixPage },
  { path: 'figures', loadComponent: () => import('./figures.page.ts').then((m) => m.FiguresPage) },
  { path: 'evidence', loadComponent: () => import('../evidence/packs.page.ts').then((m) => m.PacksPage) },
  { path: 'evidence/sample', loadComponent: () => import('../evidence/sample.page.ts').then((m) => m.SamplePage) },
  { path: 'evidence/looked', loadComponent: () => import('../evidence/looked.page.ts').then((m) => m.LookedPage) },
  { path: ':course/notified', loadComponent: () => import('./notified.page.ts').then((m) => m.NotifiedPage) },
  { path: ':course/finished', loadComponent: () => import('./finished.page.ts').then((m) => m.FinishedPage) },
  { path: ':course', loadComponent: () => import('./course-report.page.ts').then((m) => m.CourseReportPage) },
];
