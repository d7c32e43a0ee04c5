import { Component } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import { beforeEach, describe, expect, it, vi } from 'vitest';
import { openPage, type OpenedPage } from '../../testing/page.ts';
import { KeysService } from './keys.service.ts';

@Component({
  template: `
    <div class="work">
      <input aria-label="Find" />
      <table>
        <tbody>
          <tr id="one"><td>One</td><td><a href="#" (click)="opened('one', $event)">open</a></td></tr>
          <tr id="none"><td>Nothing of the second kind.</td></tr>
          <tr id="two"><td>Two</td><td><button disabled>not now</button><button (click)="opened('two', $event)">act</button></td></tr>
        </tbody>
      </table>
    </div>
    <aside class="sheet">
      <button id="inside">inside</button>
      <table><tbody><tr id="three"><td>Three</td><td></td></tr></tbody></table>
    </aside>
  `,
})
class Lists {
  readonly opened = vi.fn((_: string, event: Event) => event.preventDefault());
}

let page: OpenedPage<Lists>;
const press = (key: string): void => void (document.activeElement ?? document.body).dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true })); // prettier-ignore
const at = (): string => document.activeElement?.id ?? '';
beforeEach(async () => {
  page = await openPage(Lists);
  TestBed.inject(KeysService);
});

describe('the keys', () => {
  it('j and k go through the rows of any list; what says that there is nothing is no row', () => {
    press('j');
    expect(at()).toBe('one');
    press('j');
    expect(at()).toBe('two');
    press('j');
    expect(at()).toBe('two');
    press('k');
    expect(at()).toBe('one');
  });
  it('Enter opens a row by the first thing in it that leads on or can be done', () => {
    press('j');
    press('Enter');
    press('j');
    press('Enter');
    expect(page.fixture.componentInstance.opened.mock.calls.map(([what]) => what)).toEqual(['one', 'two']);
  });
  it('in a sheet they go through the rows of the sheet', () => {
    document.getElementById('inside')!.focus();
    press('j');
    expect(at()).toBe('three');
  });
  it('are text where somebody types, and Esc belongs to what lies over the page', () => {
    page.getByLabelText('Find').focus();
    press('j');
    expect(document.activeElement).toBe(page.getByLabelText('Find'));
    const keys = TestBed.inject(KeysService);
    keys.isHelpOpen.set(true);
    const overlay = document.createElement('div');
    overlay.className = 'p-popover';
    document.body.append(overlay);
    press('Escape');
    expect(keys.isHelpOpen()).toBe(true);
    overlay.remove();
    (document.activeElement as HTMLElement).blur();
    press('Escape');
    expect(keys.isHelpOpen()).toBe(false);
  });
});
