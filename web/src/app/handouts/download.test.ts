import { beforeEach, describe, expect, it, vi } from 'vitest';
import type { DownloadView } from '@nudrik/contract';
import { openPage } from '../../testing/page.ts';
import { DownloadPage } from './download.page.ts';

const VIEW: DownloadView = { organisation: 'Orlasund Ferries', name: 'Hoses.pdf', bytes: 2048, person: 'Runa Aske', until: 'Tue 2 Mar 10:00, Oslo time', isOpen: true, why: null, mayAsk: true }; // prettier-ignore
const open = async (rest: Partial<DownloadView> = {}) => {
  const page = await openPage(DownloadPage, { inputs: { token: 'abc' } });
  await page.answer('/api/downloads/abc', { ...VIEW, ...rest });
  return page;
};
beforeEach(() => {
  localStorage.clear();
  URL.createObjectURL = vi.fn(() => 'blob:x');
  URL.revokeObjectURL = vi.fn();
});

describe('the page of a download', () => {
  it('opens by a press, with what this device keeps, and says where the file is', async () => {
    const page = await open();
    expect(page.root.textContent).toContain('2 kB, for Runa Aske');
    await page.click(page.getByRole('button', { name: 'Download' }));
    const { body } = await page.answer('/api/downloads/abc/open', new Blob(['%PDF']));
    expect(body).toEqual({ holder: localStorage.getItem('nudrik download') });
    expect(page.getByRole('status').textContent).toContain('in the downloads of this device');
    expect(URL.createObjectURL).toHaveBeenCalledTimes(1);
  });

  it('that has ended says why, and sends a new link to the same address', async () => {
    const page = await open({ isOpen: false, why: 'This link ended Tue 2 Mar 10:00.' });
    expect(page.queryByRole('button', { name: 'Download' })).toBeNull();
    await page.click(page.getByRole('button', { name: 'Send me a new link' }));
    await page.answer('/api/downloads/abc/anew', { words: 'A new link is on its way to r…@orlasund.example.' });
    expect(page.getByRole('status').textContent).toContain('on its way to r…@');
  });

  it('that is not given anew says what to do', async () => {
    const page = await open({ isOpen: false, why: 'This link was used; it opened once.', mayAsk: false });
    expect(page.root.textContent).toContain('Reply to the message that it came with');
    expect(page.queryByRole('button')).toBeNull();
  });
});
