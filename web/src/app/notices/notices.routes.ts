import type { Routes } from '@angular/router';
import { LedgerPage } from './ledger.page.ts';

export const routes: Routes = [
  { path: '', component: LedgerPage },
  { path: 'why/:assignment/:step', component: LedgerPage },
  { path: ':notice', component: LedgerPage },
];
