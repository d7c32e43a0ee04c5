import type { Routes } from '@angular/router';
import { MatrixPage } from './matrix.page.ts';

export const routes: Routes = [
  { path: '', component: MatrixPage },
  { path: ':course', loadComponent: () => import('./course-report.page.ts').then((m) => m.CourseReportPage) },
];
