import type { Routes } from '@angular/router';
import { TestLettersPage } from './test-letters.page.ts';
import { LedgerPage } from './ledger.page.ts';

export const routes: Routes = [
  { path: '', component: LedgerPage },
  { path: 'why/:assignment/:step', component: LedgerPage },
  { path: 'seals', loadComponent: () => import('../seals/seals.page.ts').then((m) => m.SealsPage) },
  { path: 'reports', loadComponent: () => import('../reports/sent.page.ts').then((m) => m.SentPage) },
  { path: 'tests', component: TestLettersPage },
  { path: 'tests/:test', component: TestLettersPage },
  { path: ':notice', component: LedgerPage },
];
