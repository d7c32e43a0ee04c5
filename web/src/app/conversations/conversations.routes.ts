import type { Routes } from '@angular/router';
import { ArrivalsPage } from './arrivals.page.ts';
import { ConversationsPage } from './conversations.page.ts';

export const routes: Routes = [
  { path: '', component: ConversationsPage },
  { path: 'others', component: ArrivalsPage },
  { path: ':conversation', component: ConversationsPage },
];
