import type { Routes } from '@angular/router';
import { forRoles } from '../access/guards.ts';
import { askBeforeLeaving } from '../shared/leave.ts';
import { CoursesPage } from './courses.page.ts';

const WRITERS = [forRoles('administrator', 'trainer')];

export const routes: Routes = [
  { path: '', component: CoursesPage },
  { path: 'new', canActivate: WRITERS, loadComponent: () => import('./new-course.page.ts').then((m) => m.NewCoursePage) },
  { path: 'marking', loadComponent: () => import('../quizzes/marking.page.ts').then((m) => m.MarkingPage) },
  {
    path: ':course',
    loadComponent: () => import('./course.page.ts').then((m) => m.CoursePage),
    canDeactivate: [askBeforeLeaving],
    children: [
      { path: '', loadComponent: () => import('./outline.tab.ts').then((m) => m.OutlineTab) },
      { path: 'opens', loadComponent: () => import('./release.tab.ts').then((m) => m.ReleaseTab) },
      {
        path: 'questions/:unit',
        canActivate: WRITERS,
        loadComponent: () => import('../quizzes/questions.tab.ts').then((m) => m.QuestionsTab),
      },
      { path: 'survey/:unit', canActivate: WRITERS, loadComponent: () => import('../surveys/survey.tab.ts').then((m) => m.SurveyTab) },
      { path: 'surveys/:unit', loadComponent: () => import('../surveys/answers.tab.ts').then((m) => m.AnswersTab) },
      { path: 'sessions/:unit', loadComponent: () => import('../sessions/sessions.tab.ts').then((m) => m.SessionsTab) },
      { path: 'sign-offs/:unit', loadComponent: () => import('../sign-offs/sign-offs.tab.ts').then((m) => m.SignOffsTab) },
      { path: 'quizzes/:unit', loadComponent: () => import('../quizzes/submissions.tab.ts').then((m) => m.SubmissionsTab) },
      { path: 'under-way', loadComponent: () => import('../reports/under-way.tab.ts').then((m) => m.UnderWayTab) },
      { path: 'look', canActivate: WRITERS, loadComponent: () => import('./look.tab.ts').then((m) => m.LookTab) },
      { path: 'live', canActivate: WRITERS, loadComponent: () => import('./live.tab.ts').then((m) => m.LiveTab) },
    ],
  },
];
