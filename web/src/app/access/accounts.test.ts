import { describe, expect, it } from 'vitest';
import type { AccountRow, AccountsView, SessionRow } from '@nudrik/contract';
import { openPage, session } from '../../testing/page.ts';
import { AccountPage } from './account.page.ts';
import { AccountsPage } from './accounts.page.ts';
import { EnterPage } from './enter.page.ts';
import { SecondFactorSection } from './second-factor.section.ts';
import { SignInPage } from './sign-in.page.ts';

const account = (id: string, name: string, rest: Partial<AccountRow> = {}): AccountRow => ({
  id, name, email: `${name.toLowerCase().replace(' ', '.')}@orlasund.example`, role: 'trainer', person: null, state: 'active', seenAt: null, hasSecondFactor: false, entersAsManager: false, ...rest,
}); // prettier-ignore
const view = (...accounts: AccountRow[]): AccountsView => ({
  accounts,
  record: [{ at: '2027-02-01T08:00:00Z', byWhom: 'Sigrid Aune', name: 'Tora Hauge', words: 'Invited as a trainer.' }],
});

describe('who may enter', () => {
  const open = async () => {
    const page = await openPage(AccountsPage);
    await page.answer(
      '/api/accounts',
      view(
        account('1', 'Sigrid Aune', { role: 'administrator', seenAt: '2027-03-01T07:00:00Z' }),
        account('2', 'Tora Hauge', { state: 'lapsed' }),
        account('3', 'Bo Lind', { state: 'ended' }),
      ),
    );
    return page;
  };

  it('shows each with what they may do, and who did what', async () => {
    const page = await open();
    expect(page.text()).toContain('Sigrid Aune (you)');
    expect(page.text()).toContain('Tora Hauge the invitation has run out');
    expect(page.text()).toContain('writes courses and plans, reads the rest');
    expect(page.text()).toContain('Tora Hauge Invited as a trainer. Sigrid Aune');
    // nobody ends their own account, or one that has ended
    expect(page.queryAllByRole('button', { name: /^End the account/ }).map((button) => button.getAttribute('aria-label'))).toEqual([
      'End the account of Tora Hauge',
    ]);
  });

  it('invites, and says what the mail server said', async () => {
    const page = await open();
    await page.click(page.getByRole('button', { name: 'Invite somebody' }));
    await page.type(page.getByLabelText('Name'), 'Eva Dahl');
    await page.type(page.getByLabelText('E-mail'), 'eva@outside.example');
    await page.choose(page.getByLabelText('As'), 'auditor');
    await page.click(page.getByRole('button', { name: 'Send the invitation' }));
    const asked = await page.answer(
      '/api/accounts',
      { id: '4', isSent: false, words: 'The account stands, and the mail server did not take the mail.' },
      'POST',
    );
    expect(asked.body).toEqual({ name: 'Eva Dahl', email: 'eva@outside.example', role: 'auditor' });
    expect(page.getByRole('alert').textContent).toContain('did not take the mail');
  });

  it('asks before it ends an account, and tells a refusal', async () => {
    const page = await open();
    await page.click(page.getByRole('button', { name: 'End the account of Tora Hauge' }));
    expect(page.text()).toContain('End it at once?');
    await page.click(page.getByRole('button', { name: 'End it' }));
    await page.refuse('/api/accounts/2', { code: 'conflict', message: 'Sigrid Aune is the only administrator.' });
    expect(page.getByRole('alert').textContent).toContain('the only administrator');
  });
});

describe('a second factor', () => {
  it('is taken off for somebody whose phone is lost, and never one’s own here', async () => {
    const page = await openPage(AccountsPage);
    const rows = [account('1', 'Sigrid Aune', { hasSecondFactor: true }), account('2', 'Tora Hauge', { hasSecondFactor: true }), account('3', 'Kari Nes', { role: 'employee', entersAsManager: true })]; // prettier-ignore
    await page.answer('/api/accounts', view(...rows));
    expect(page.text()).toContain('enters as a manager, by having people below');
    expect(page.queryAllByRole('button', { name: /phone lost/ })).toHaveLength(1);
    await page.click(page.getByRole('button', { name: 'Second factor of Tora Hauge: phone lost' }));
    await page.click(page.getByRole('button', { name: 'Take it off' }));
    await page.answer('/api/accounts/2/second-factor', { done: true }, 'DELETE');
    expect(page.text()).toContain('Tora Hauge enters with the password alone now');
  });

  it('is set up with the password, a picture and a first code; spare codes are shown once', async () => {
    const page = await openPage(SecondFactorSection);
    await page.answer('/api/account/second-factor', { isOn: false, spareCodes: 0 });
    await page.click(page.getByRole('button', { name: 'Set it up' }));
    await page.type(page.getByLabelText('Your password'), 'wrong');
    await page.click(page.getByRole('button', { name: 'Go on' }));
    await page.refuse('/api/account/second-factor', { code: 'wrong-input', message: 'This is not your password as it is now.' }, 400);
    expect(page.getByRole('alert').textContent).toContain('not your password');
    await page.click(page.getByRole('button', { name: 'Go on' }));
    await page.answer('/api/account/second-factor', { secret: 'ABCD EFGH', picture: 'data:image/png;base64,' }, 'POST');
    expect(page.text()).toContain('ABCD EFGH');
    await page.type(page.getByLabelText('The six digits that it shows now'), '123 456');
    await page.click(page.getByRole('button', { name: 'Switch it on' }));
    expect((await page.answer('/api/account/second-factor', { spareCodes: ['abcde-fghjk'] }, 'PUT')).body).toEqual({ code: '123 456' });
    expect(page.text()).toContain('abcde-fghjk');
    await page.answer('/api/account/second-factor', { isOn: true, spareCodes: 1 });
    await page.click(page.getByRole('button', { name: 'I have them' }));
    expect(page.text()).toContain('1 spare code is left');
    expect(page.text()).not.toContain('abcde-fghjk');
    await page.click(page.getByRole('button', { name: 'Switch it off' }));
    await page.type(page.getByLabelText('Your password'), 'right');
    await page.click(page.getByRole('button', { name: 'Switch it off' }));
    expect((await page.answer('/api/account/second-factor', { done: true }, 'DELETE')).body).toEqual({ password: 'right' });
    expect(page.text()).toContain('you enter with the password alone');
  });

  it('is asked for at the sign-in: first a question, then what was wrong', async () => {
    const page = await openPage(SignInPage);
    await page.answer('/api/demo/accounts', []);
    await page.type(page.getByLabelText('E-mail'), 'sigrid@orlasund.example');
    await page.type(page.getByLabelText('Password'), 'a long password');
    expect(page.queryByLabelText(/^Code/)).toBeNull();
    const refusal = { code: 'second-factor', message: 'This code is not right, or was used already.' };
    await page.click(page.getByRole('button', { name: 'Sign in' }));
    await page.refuse('/api/session', refusal, 401);
    expect(page.queryByRole('alert')).toBeNull();
    await page.type(page.getByLabelText(/^Code/), '123456');
    await page.click(page.getByRole('button', { name: 'Sign in' }));
    expect((await page.refuse('/api/session', refusal, 401)).body).toMatchObject({ code: '123456' });
    expect(page.getByRole('alert').textContent).toContain('not right, or was used already');
    await page.type(page.getByLabelText(/^Code/), '654321');
    await page.click(page.getByRole('button', { name: 'Sign in' }));
    await page.answer('/api/session', session('administrator'), 'POST');
    expect(page.router.url).toBe('/today');
  });
});

describe('a sign-in service', () => {
  it.each([
    [undefined, '/api/session/elsewhere?back=%2Fledger', null],
    ['no-account', '/api/session/elsewhere?back=%2Fledger&as=another', 'You are known to the Orlasund account, and have no account here'],
    ['nonsense', '/api/session/elsewhere?back=%2Fledger&as=another', 'broken off'],
  ])('is offered, and what it was not enough for is told: %s', async (elsewhere, address, words) => {
    const page = await openPage(SignInPage, { inputs: { back: '/ledger', elsewhere }, elsewhere: 'the Orlasund account' });
    await page.answer('/api/demo/accounts', []);
    expect(page.getByRole('link', { name: 'Go on with the Orlasund account' }).getAttribute('href')).toBe(address);
    if (words === null) expect(page.queryByRole('alert')).toBeNull();
    else expect(page.getByRole('alert').textContent).toContain(words);
  });
});

describe('a link that came by mail', () => {
  const open = async (purpose: string) => {
    const page = await openPage(EnterPage, { inputs: { key: 'k' } });
    await page.answer('/api/session/keys/k', { purpose, name: 'Eva Dahl', email: 'eva@outside.example', organisation: 'Orlasund Ferries' });
    return page;
  };

  it('of an invitation asks for a password of one’s own', async () => {
    const page = await open('invitation');
    expect(page.text()).toContain('Welcome, Eva Dahl');
    const keep = page.getByRole('button', { name: 'Keep it and enter' }) as HTMLButtonElement;
    await page.type(page.getByLabelText(/Password/), 'short');
    expect(keep.disabled).toBe(true);
    await page.type(page.getByLabelText(/Password/), 'long enough for anybody');
    await page.click(keep);
    expect((await page.answer('/api/session/keys/k', session('auditor'), 'POST')).body).toEqual({
      password: 'long enough for anybody',
      code: null,
    });
    expect(page.router.url).toBe('/today');
  });

  it('of a manager opens by a press', async () => {
    const page = await open('sign-in');
    await page.click(page.getByRole('button', { name: 'Enter' }));
    await page.answer('/api/session/keys/k', session('manager'), 'POST');
    expect(page.router.url).toBe('/my-team');
  });

  it('that was used says so, and leads on', async () => {
    const page = await openPage(EnterPage, { inputs: { key: 'k' } });
    await page.refuse('/api/session/keys/k', { code: 'wrong-link', message: 'This link opened before, or has run out.' }, 404);
    expect(page.getByRole('alert').textContent).toContain('has run out');
    expect(page.getByRole('link', { name: 'To the sign-in page' })).toBeTruthy();
  });

  it('is asked for on the sign-in page, and the answer tells nobody who has an account', async () => {
    const page = await openPage(SignInPage);
    await page.answer('/api/demo/accounts', []);
    await page.click(page.getByRole('button', { name: 'Send me a link' }));
    expect(page.getByRole('alert').textContent).toContain('Write your e-mail address above first');
    await page.type(page.getByLabelText('E-mail'), 'odd@orlasund.example');
    await page.click(page.getByRole('button', { name: 'Send me a link' }));
    expect((await page.answer('/api/session/link', { done: true })).body).toEqual({ email: 'odd@orlasund.example' });
    expect(page.text()).toContain('If odd@orlasund.example may enter, a link is on its way there.');
  });
});

describe('one’s own account', () => {
  const row = (id: string, rest: Partial<SessionRow> = {}): SessionRow => ({
    id, begunAt: '2027-03-01T07:00:00Z', seenAt: '2027-03-01T09:00:00Z', browser: 'Firefox on Linux', address: '10.0.0.7', isThis: false, ...rest,
  }); // prettier-ignore

  it('lists sessions and ends one, and all others', async () => {
    const page = await openPage(AccountPage);
    await page.answer('/api/account/sessions', [row('1', { isThis: true }), row('2', { browser: 'Safari on iOS' })]);
    expect(page.text()).toContain('Firefox on Linux (here)');
    await page.click(page.getByRole('button', { name: 'Sign out Safari on iOS from 10.0.0.7' }));
    await page.answer('/api/account/sessions/2', { done: true }, 'DELETE');
    await page.answer('/api/account/sessions', [row('1', { isThis: true }), row('3')]);
    await page.click(page.getByRole('button', { name: 'Sign out everywhere else' }));
    await page.answer('/api/account/sessions/others', { done: true }, 'DELETE');
    await page.answer('/api/account/sessions', [row('1', { isThis: true })]);
    expect(page.queryByRole('button', { name: 'Sign out everywhere else' })).toBeNull();
  });

  it('changes the password, and tells where the old one is wrong', async () => {
    const page = await openPage(AccountPage);
    await page.answer('/api/account/sessions', [row('1', { isThis: true })]);
    await page.type(page.getByLabelText('As it is now'), 'old');
    await page.type(page.getByLabelText(/^New/), 'a password long enough');
    await page.click(page.getByRole('button', { name: 'Change the password' }));
    await page.refuse('/api/account/password', { code: 'wrong-input', message: 'This is not your password as it is now.' }, 400);
    expect(page.getByRole('alert').textContent).toContain('not your password');
    await page.click(page.getByRole('button', { name: 'Change the password' }));
    await page.answer('/api/account/password', { done: true }, 'PUT');
    await page.answer('/api/account/sessions', [row('1', { isThis: true })]);
    expect(page.text()).toContain('Your password is another one now');
  });
});
