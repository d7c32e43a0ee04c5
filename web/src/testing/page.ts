import { provideHttpClient, withInterceptors } from '@angular/common/http';
import { HttpTestingController, provideHttpClientTesting, type TestRequest } from '@angular/common/http/testing';
import { signal, type Type, type WritableSignal } from '@angular/core';
import { TestBed, type ComponentFixture } from '@angular/core/testing';
import { provideRouter, Router } from '@angular/router';
import { configure, waitFor, within, type queries, type BoundFunctions } from '@testing-library/dom';
import type { Refusal, Role, Session } from '@nudrik/contract';
import type { Select } from 'primeng/select';
import { Subject } from 'rxjs';
import { sessionInterceptor } from '../app/access/session.interceptor.ts';
import { SessionStore } from '../app/access/session.store.ts';
import { LiveService } from '../app/shared/live.service.ts';
import { ClockStore } from '../app/shell/clock.store.ts';
import { endRests, holdRests } from './rests.ts';

// no test is a matter of how fast the machine is
configure({ asyncUtilTimeout: 20_000 });
holdRests();

/** The moment at which a page is looked at: Mon 1 Mar 2027, 10:30 in Oslo. */
export const NOW = '2027-03-01T09:30:00Z';

export const session = (role: Role = 'administrator'): Session => ({
  account: { id: '1', role, name: 'Sigrid Aune', email: 'sigrid.aune@orlasund.example', personId: null },
  csrf: 'token',
  isDemo: true,
  organisation: 'Orlasund Ferries',
  zone: 'Europe/Oslo',
  place: 'Orla Quay',
  weekStartsOn: 1,
  elsewhere: null,
});

export interface OpenedPage<T> extends BoundFunctions<typeof queries> {
  fixture: ComponentFixture<T>;
  root: HTMLElement;
  router: Router;
  /** answers the request that waits at this address; it has to be there. @returns what was asked */
  answer(url: string, body: unknown, method?: string): Promise<TestRequest['request']>;
  /** refuses it, as the server does */
  refuse(url: string, refusal: Refusal | null, status?: number): Promise<TestRequest['request']>;
  /** what waits for an answer */
  waiting(): string[];
  /** announces a topic, as the server's events do */
  announce(topic: string): Promise<void>;
  set(inputs: Record<string, unknown>): Promise<void>;
  click(element: HTMLElement): Promise<void>;
  type(element: HTMLElement, text: string): Promise<void>;
  choose(element: HTMLElement, label: string): Promise<void>;
  settle(): Promise<void>;
  /** the page as somebody reads it: blanks made one */
  text(): string;
}

/** Shows a component with everything around it real but the server: its answers are given by the test. */
export async function openPage<T>(
  component: Type<T>,
  {
    inputs = {},
    role = 'administrator',
    providers = [],
    overrides = [],
    elsewhere = null,
  }: { inputs?: Record<string, unknown>; role?: Role; providers?: unknown[]; overrides?: unknown[]; elsewhere?: string | null } = {},
): Promise<OpenedPage<T>> {
  TestBed.resetTestingModule(); // a second page in one test begins anew
  const announced = new Subject<string>();
  const clock: { now: WritableSignal<number | null> } & Record<string, unknown> = {
    now: signal<number | null>(Date.parse(NOW)),
    isDemo: signal(true),
    isMoving: signal(false),
  };
  TestBed.configureTestingModule({
    imports: [component],
    providers: [
      provideHttpClient(withInterceptors([sessionInterceptor])),
      provideHttpClientTesting(),
      provideRouter([{ path: '**', children: [] }]),
      { provide: LiveService, useValue: { on: (topics: string[]) => filterTopics(announced, topics) } },
      { provide: ClockStore, useValue: clock },
      ...(providers as never[]),
    ],
  });
  // what the component brings itself, such as a worker
  if (overrides.length > 0) TestBed.overrideComponent(component, { set: { providers: overrides as never[] } });
  const http = TestBed.inject(HttpTestingController);
  TestBed.inject(SessionStore).start().subscribe();
  http.expectOne('/api/session').flush({ ...session(role), elsewhere });
  await TestBed.compileComponents(); // what is loaded only when it is opened
  const fixture = TestBed.createComponent(component);
  for (const [name, value] of Object.entries(inputs)) fixture.componentRef.setInput(name, value);
  const root = fixture.nativeElement as HTMLElement;
  document.body.replaceChildren(root);
  const settle = async (): Promise<void> => {
    // what is asked only after something else was answered is asked in a later round
    for (let round = 0; round < 4; round++) {
      fixture.detectChanges();
      await new Promise((resolve) => setTimeout(resolve));
    }
    fixture.detectChanges();
  };
  // what is typed is asked for only after a moment's rest: it is waited for, and not for longer than it takes
  const one = async (url: string, method?: string): Promise<TestRequest> => {
    const isMeant = (request: { method: string; urlWithParams: string }): boolean =>
      request.urlWithParams === url && (!method || request.method === method);
    await waitFor(() => {
      endRests();
      if (!waitingIn(http).some((line) => line.endsWith(` ${url}`)))
        throw new Error(`Nothing was asked at ${url}; what waits: ${waitingIn(http).join(', ') || 'nothing'}.`);
    });
    // what was given up for a newer question of the same kind is answered by nobody
    const [first, ...more] = http.match(isMeant).filter(({ cancelled }) => !cancelled);
    if (!first) return one(url, method);
    if (more.length > 0) throw new Error(`Expected one question at ${url}, got ${more.length + 1}.`);
    return first;
  };
  const fire = async (element: HTMLElement, ...names: string[]): Promise<void> => {
    for (const name of names) element.dispatchEvent(new Event(name, { bubbles: true }));
    await settle();
  };
  await settle();
  return {
    ...within(root),
    fixture,
    root,
    router: TestBed.inject(Router),
    async answer(url, body, method) {
      const asked = await one(url, method);
      asked.flush(body as object);
      await settle();
      return asked.request;
    },
    async refuse(url, refusal, status = 409) {
      const asked = await one(url);
      asked.flush(refusal, { status, statusText: 'refused' });
      await settle();
      return asked.request;
    },
    waiting: () => (endRests(), waitingIn(http)),
    async announce(topic) {
      announced.next(topic);
      await settle();
    },
    async set(changed) {
      for (const [name, value] of Object.entries(changed)) fixture.componentRef.setInput(name, value);
      await settle();
    },
    async click(element) {
      element.click();
      await settle();
    },
    async type(element, text) {
      (element as HTMLInputElement).value = text;
      await fire(element, 'input', 'change');
      // our pickers set in order what was typed when they are left
      if (element.closest('nk-date, nk-time, nk-number')) await fire(element, 'blur');
    },
    async choose(element, label) {
      // by the control itself: jsdom ends no motion, so that a list which was open once stays
      const host = element.closest('p-select');
      const select = fixture.debugElement.query(({ nativeElement }) => nativeElement === host)?.componentInstance as Select | undefined;
      const options = (select?.visibleOptions() ?? []) as { label: string }[];
      const option = options.find((entry) => entry.label === label);
      if (!option) throw new Error(`There is no "${label}" among ${options.map((entry) => entry.label).join(', ')}.`);
      select!.onOptionSelect(new Event('click'), option);
      await settle();
    },
    settle,
    text: () => textOf(root),
  };
}

const INLINE = new Set(['A', 'SPAN', 'STRONG', 'B', 'EM', 'BUTTON', 'LABEL', 'NK-OUTCOME', 'NK-KIND', 'NK-STATE']);

/** What stands in an element as somebody reads it: cells and lines apart, blanks made one. */
export function textOf(element: Element): string {
  const read = (node: Node): string => {
    if (node.nodeType === Node.TEXT_NODE) return node.textContent ?? '';
    if (node.nodeType !== Node.ELEMENT_NODE) return '';
    const inner = [...node.childNodes].map(read).join('');
    return INLINE.has((node as Element).tagName) ? inner : ` ${inner} `;
  };
  return read(element).replace(/\s+/g, ' ').trim();
}

function filterTopics(announced: Subject<string>, topics: readonly string[]): Subject<void> {
  const own = new Subject<void>();
  announced.subscribe((topic) => topics.includes(topic) && own.next());
  return own;
}

/** Looks at what waits without answering it. */
function waitingIn(http: HttpTestingController): string[] {
  const found: string[] = [];
  http.match((request) => (found.push(`${request.method} ${request.urlWithParams}`), false));
  return found;
}
