import { HttpClient } from '@angular/common/http';
import { Component, inject } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import { Router, type ActivatedRouteSnapshot, type RouterStateSnapshot, type UrlTree } from '@angular/router';
import { describe, expect, it, test } from 'vitest';
import type { Role } from '@nudrik/contract';
import { openPage } from '../../testing/page.ts';
import { forRoles } from './guards.ts';
import { homeOf, SessionStore } from './session.store.ts';

@Component({ template: '' })
class Blank {
  readonly http = inject(HttpClient);
}

const guard = (...roles: Role[]) =>
  TestBed.runInInjectionContext(() =>
    forRoles(...roles)({} as ActivatedRouteSnapshot, { url: '/people?site=Orla' } as RouterStateSnapshot),
  );
const addressOf = (answer: unknown): string => TestBed.inject(Router).serializeUrl(answer as UrlTree);

describe('who may open a page', () => {
  test.each<[Role, Role[], string | true]>([
    ['administrator', ['administrator', 'trainer'], true],
    ['employee', ['administrator'], '/my-training'],
    ['manager', ['administrator', 'auditor'], '/my-team'],
    ['auditor', ['administrator'], '/today'],
  ])('%s at a page for %s', async (role, roles, expected) => {
    await openPage(Blank, { role });
    const answer = guard(...roles);
    expect(answer === true ? true : addressOf(answer)).toBe(expected);
  });
  it('nobody signed in goes to the sign-in, and back afterwards', async () => {
    await openPage(Blank);
    TestBed.inject(SessionStore).forget();
    expect(addressOf(guard('administrator'))).toBe('/sign-in?back=%2Fpeople%3Fsite%3DOrla');
  });
  test.each<[Role, string]>([
    ['administrator', '/today'],
    ['trainer', '/today'],
    ['manager', '/my-team'],
    ['employee', '/my-training'],
  ])('%s begins at %s', (role, path) => expect(homeOf(role)).toBe(path));
});

describe('requests', () => {
  it('that change something carry the page’s token; those that read do not', async () => {
    const page = await openPage(Blank);
    const { http } = page.fixture.componentInstance;
    http.get('/api/people').subscribe();
    http.post('/api/people', {}).subscribe();
    expect(page.waiting()).toEqual(['GET /api/people', 'POST /api/people']);
    const requests: string[] = [];
    for (const method of ['GET', 'POST'])
      requests.push(`${method} ${(await page.answer('/api/people', {}, method)).headers.get('x-csrf-token')}`);
    expect(requests).toEqual(['GET null', 'POST token']);
  });
  it('of a session that has ended lead to the sign-in; the refusal is passed on', async () => {
    const page = await openPage(Blank);
    let refused = '';
    page.fixture.componentInstance.http.get('/api/people').subscribe({ error: (error: Error) => (refused = error.name) });
    await page.refuse('/api/people', { code: 'not-signed-in', message: 'Sign in first.' }, 401);
    expect(TestBed.inject(SessionStore).account()).toBeNull();
    expect(page.router.url).toContain('/sign-in');
    expect(refused).toBe('HttpErrorResponse');
  });
  it('that are refused for another reason leave one signed in', async () => {
    const page = await openPage(Blank);
    page.fixture.componentInstance.http.get('/api/people').subscribe({ error: () => undefined });
    await page.refuse('/api/people', { code: 'wrong-password', message: 'No.' }, 401);
    expect(TestBed.inject(SessionStore).account()?.name).toBe('Sigrid Aune');
  });
});

describe('what a role may do', () => {
  test.each<[Role, boolean, boolean]>([
    ['administrator', true, true],
    ['trainer', false, true],
    ['auditor', false, false],
  ])('%s: changes people %s, edits courses %s', async (role, canChange, canEdit) => {
    await openPage(Blank, { role });
    const store = TestBed.inject(SessionStore);
    expect([store.canChange(), store.canEdit()]).toEqual([canChange, canEdit]);
  });
});
