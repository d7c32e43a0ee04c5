import type { Routes } from '@angular/router';
import { TestLettersPage } from './test-letters.page.ts';
import { LedgerPage } from './ledger.page.ts';

export const routes: Routes = [
  { path: '', component: LedgerPage },
  { path: 'why/:assignment/:step', component: LedgerPage },
  { path: 'tests', component: TestLettersPage },
  { path: 'tests/:test', component: TestLettersPage },
  { path: ':notice', component: LedgerPage },
];
