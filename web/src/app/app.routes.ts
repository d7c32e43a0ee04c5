import type { Routes } from '@angular/router';
import { forRoles } from './access/guards.ts';
import { askBeforeLeaving } from './shared/leave.ts';

const office = forRoles('administrator', 'trainer', 'auditor');
const administrators = forRoles('administrator');

export const routes: Routes = [
  { path: '', pathMatch: 'full', redirectTo: 'today' },
  { path: 'sign-in', title: 'Sign in · Nudrik', loadComponent: () => import('./access/sign-in.page.ts').then((m) => m.SignInPage) },
  {
    path: 'today',
    title: 'Today · Nudrik',
    canActivate: [office],
    loadComponent: () => import('./reports/today.page.ts').then((m) => m.TodayPage),
  },
  {
    path: 'people',
    canActivate: [office],
    title: 'People · Nudrik',
    loadChildren: () => import('./people/people.routes.ts').then((m) => m.routes),
  },
  {
    path: 'courses',
    canActivate: [office],
    title: 'Courses · Nudrik',
    loadChildren: () => import('./courses/courses.routes.ts').then((m) => m.routes),
  },
  {
    path: 'requirements',
    canActivate: [office],
    title: 'Requirements · Nudrik',
    loadChildren: () => import('./requirements/requirements.routes.ts').then((m) => m.routes),
  },
  {
    path: 'work',
    title: 'Long work · Nudrik',
    canActivate: [office],
    loadComponent: () => import('./work/work.page.ts').then((m) => m.WorkPage),
  },
  {
    path: 'assign',
    canActivate: [administrators],
    title: 'Assign · Nudrik',
    loadComponent: () => import('./assignments/assign.page.ts').then((m) => m.AssignPage),
  },
  {
    path: 'plans',
    canActivate: [office],
    title: 'Plans · Nudrik',
    loadChildren: () => import('./plans/plans.routes.ts').then((m) => m.routes),
  },
  {
    path: 'held',
    title: 'Held messages · Nudrik',
    canActivate: [office],
    loadComponent: () => import('./holding/holding.page.ts').then((m) => m.HoldingPage),
  },
  {
    path: 'ledger',
    canActivate: [office],
    title: 'Ledger · Nudrik',
    loadChildren: () => import('./notices/notices.routes.ts').then((m) => m.routes),
  },
  {
    path: 'replies',
    canActivate: [office],
    title: 'Replies · Nudrik',
    loadChildren: () => import('./conversations/conversations.routes.ts').then((m) => m.routes),
  },
  {
    path: 'matrix',
    canActivate: [office],
    title: 'Matrix · Nudrik',
    loadChildren: () => import('./reports/reports.routes.ts').then((m) => m.routes),
  },
  {
    path: 'certificates',
    canActivate: [office],
    title: 'Certificates · Nudrik',
    loadComponent: () => import('./certificates/certificates.page.ts').then((m) => m.CertificatesPage),
  },
  {
    path: 'certificates/running-out',
    canActivate: [office],
    title: 'What runs out · Nudrik',
    loadComponent: () => import('./certificates/running-out.page.ts').then((m) => m.RunningOutPage),
  },
  {
    path: 'certificates/designs',
    canActivate: [office],
    title: 'Certificate designs · Nudrik',
    loadComponent: () => import('./certificates/designs.page.ts').then((m) => m.DesignsPage),
  },
  {
    path: 'certificates/designs/:id',
    canActivate: [office],
    canDeactivate: [askBeforeLeaving],
    title: 'Certificate design · Nudrik',
    loadComponent: () => import('./certificates/design.page.ts').then((m) => m.DesignPage),
  },
  {
    path: 'certificates/add',
    canActivate: [administrators],
    title: 'Add a certificate · Nudrik',
    loadComponent: () => import('./certificates/add.page.ts').then((m) => m.AddCertificatePage),
  },
  {
    path: 'sign-off/:link',
    title: 'Sign off · Nudrik',
    loadComponent: () => import('./sign-offs/sign-off.page.ts').then((m) => m.SignOffPage),
  },
  {
    path: 'sign-offs/:course/:unit',
    canActivate: [forRoles('employee', 'manager', 'administrator', 'trainer', 'auditor')],
    title: 'Sign off · Nudrik',
    loadComponent: () => import('./sign-offs/sign-off.page.ts').then((m) => m.SignOffPage),
  },
  {
    path: 'shown/:link',
    title: 'A certificate · Nudrik',
    loadComponent: () => import('./certificates/shown.page.ts').then((m) => m.ShownPage),
  },
  {
    path: 'settings',
    canActivate: [office],
    canDeactivate: [askBeforeLeaving],
    title: 'Settings · Nudrik',
    loadComponent: () => import('./house/settings.page.ts').then((m) => m.SettingsPage),
  },
  {
    path: 'report/:letter',
    canActivate: [forRoles('administrator', 'trainer', 'auditor', 'manager')],
    title: 'A report · Nudrik',
    loadComponent: () => import('./reports/own-report.page.ts').then((m) => m.OwnReportPage),
  },
  {
    path: 'settings/programs',
    canActivate: [administrators],
    title: 'Other programs · Nudrik',
    loadComponent: () => import('./programs/programs.page.ts').then((m) => m.ProgramsPage),
  },
  {
    path: 'settings/programs/completions',
    canActivate: [administrators],
    title: 'Completions that other programs bring · Nudrik',
    loadComponent: () => import('./programs/statements.page.ts').then((m) => m.StatementsPage),
  },
  {
    path: 'settings/programs/told',
    canActivate: [administrators],
    title: 'What other programs are told · Nudrik',
    loadComponent: () => import('./programs/hooks.page.ts').then((m) => m.HooksPage),
  },
  {
    path: 'settings/keeping',
    canActivate: [forRoles('administrator', 'auditor')],
    title: 'How long it is kept · Nudrik',
    loadComponent: () => import('./keeping/keeping.page.ts').then((m) => m.KeepingPage),
  },
  {
    path: 'settings/accounts',
    canActivate: [administrators],
    title: 'Who may enter · Nudrik',
    loadComponent: () => import('./access/accounts.page.ts').then((m) => m.AccountsPage),
  },
  {
    path: 'account',
    canActivate: [forRoles('employee', 'manager', 'administrator', 'trainer', 'auditor')],
    title: 'Your account · Nudrik',
    loadComponent: () => import('./access/account.page.ts').then((m) => m.AccountPage),
  },
  { path: 'enter/:key', title: 'Enter · Nudrik', loadComponent: () => import('./access/enter.page.ts').then((m) => m.EnterPage) },
  {
    path: 'post-room',
    canActivate: [administrators],
    title: 'Post room · Nudrik',
    loadComponent: () => import('./standins/post-room.page.ts').then((m) => m.PostRoomPage),
  },
  {
    path: 'post-room/:mail',
    canActivate: [administrators],
    title: 'Post room · Nudrik',
    loadComponent: () => import('./standins/post-room.page.ts').then((m) => m.PostRoomPage),
  },
  {
    path: 'chat-room',
    canActivate: [administrators],
    title: 'Chat room · Nudrik',
    loadComponent: () => import('./standins/chat-room.page.ts').then((m) => m.ChatRoomPage),
  },
  {
    path: 'my-team',
    canActivate: [forRoles('manager', 'administrator', 'trainer')],
    title: 'My team · Nudrik',
    loadComponent: () => import('./reports/my-team.page.ts').then((m) => m.MyTeamPage),
  },
  {
    path: 'my-training',
    canActivate: [forRoles('employee', 'manager', 'administrator', 'trainer', 'auditor')],
    title: 'My training · Nudrik',
    loadComponent: () => import('./learning/my-training.page.ts').then((m) => m.MyTrainingPage),
  },
  { path: 'go/:token', title: 'Your course · Nudrik', loadComponent: () => import('./learning/learn.page.ts').then((m) => m.LearnPage) },
  {
    path: 'go/:token/certificate',
    title: 'Your certificate · Nudrik',
    loadComponent: () => import('./learning/learn.page.ts').then((m) => m.LearnPage),
  },
  // `unit-12`: a unit that a message leads to
  {
    path: 'go/:token/:at',
    title: 'Your course · Nudrik',
    loadComponent: () => import('./learning/learn.page.ts').then((m) => m.LearnPage),
  },
  {
    path: 'download/:token',
    title: 'Your file · Nudrik',
    loadComponent: () => import('./handouts/download.page.ts').then((m) => m.DownloadPage),
  },
  {
    path: 'decline/:token',
    title: 'Messages of one kind · Nudrik',
    loadComponent: () => import('./declines/decline.page.ts').then((m) => m.DeclinePage),
  },
  {
    path: 'look/:token',
    title: 'A course to look at · Nudrik',
    loadComponent: () => import('./courses/look.page.ts').then((m) => m.LookPage),
  },
  {
    path: 'team/:token',
    title: 'Your people · Nudrik',
    loadComponent: () => import('./reports/my-team.page.ts').then((m) => m.MyTeamPage),
  },
  {
    path: 'verify',
    title: 'Check a certificate · Nudrik',
    loadComponent: () => import('./certificates/verify.page.ts').then((m) => m.VerifyPage),
  },
  {
    path: 'verify/:serial',
    title: 'Check a certificate · Nudrik',
    loadComponent: () => import('./certificates/verify.page.ts').then((m) => m.VerifyPage),
  },
  { path: '**', title: 'Not here · Nudrik', loadComponent: () => import('./shell/not-here.page.ts').then((m) => m.NotHerePage) },
];
