import { CertificatesQuery, FileHash, RevokeRequest, RunningOutQuery } from '@nudrik/contract';
import { parseSerial } from '@nudrik/core';
import { headFile } from '../answer-file.ts';
import { act, DONE, get, OFFICE, parse, type Route } from '../route.ts';
import { Refused } from '../refusal.ts';
import { houseToday } from '../people/today.ts';
import { runningOut } from './running-out.repo.ts';
import { revokeCertificate } from './revoke.ts';
import { certificatePdf, findCertificate, listCertificates, verify, verifyFile } from './certificates.repo.ts';

export function sendPdf(res: Parameters<typeof headFile>[0], pdf: Buffer, serial: string): void {
  headFile(res, `certificate-${serial}.pdf`, 'application/pdf', 'inline');
  res.end(pdf);
}

export const certificateRoutes: Route[] = [
  {
    method: 'get',
    path: '/api/certificates',
    access: OFFICE,
    handle: async ({ deps, req }) => listCertificates(deps.db, parse(CertificatesQuery, req.query), await houseToday(deps)),
  },
  get('/api/certificates/running-out', async ({ deps, req }) =>
    runningOut(deps.db, parse(RunningOutQuery, req.query), await houseToday(deps)),
  ),
  {
    method: 'get',
    path: '/api/verify/:serial',
    access: 'public',
    handle: async ({ deps, req }) => verify(deps.db, String(req.params['serial']), await houseToday(deps)),
  },
  {
    method: 'get',
    path: '/api/verify/file/:hash',
    access: 'public',
    handle: async ({ deps, req }) => verifyFile(deps.db, parse(FileHash, req.params['hash']), await houseToday(deps)),
  },
  act('post', '/api/certificates/:serial/revoke', async ({ deps, req, account }) => {
    const serial = parseSerial(String(req.params['serial']));
    if (!serial) throw new Refused('not-found', 'There is no such certificate.');
    await revokeCertificate(deps, serial, parse(RevokeRequest, req.body).reason, account!.name);
    return DONE;
  }),
  {
    method: 'get',
    path: '/api/certificates/:serial/pdf',
    access: 'signed-in',
    async handle({ deps, req, res, account }) {
      const serial = parseSerial(String(req.params['serial']));
      const row = serial && (await findCertificate(deps.db, serial));
      // employees and managers fetch their own; the office fetches any
      const isOwn = row && account!.personId === row.person_id;
      if (!row || (!isOwn && !OFFICE.includes(account!.role))) throw new Refused('not-found', 'There is no such certificate among yours.');
      sendPdf(res, (await certificatePdf(deps.db, row.serial, deps.settings.baseUrl))!, row.serial);
      return undefined;
    },
  },
];
