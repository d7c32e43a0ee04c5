import { HttpClient } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import type {
  AddCertificate,
  CertificateAdded,
  CertificatePicture,
  CertificatesFile,
  CertificatesMade,
  CertificatesPage,
  DesignLook,
  DesignPeople,
  DesignRow,
  DesignSave,
  DesignSeen,
  DesignView,
  NewDesign,
  RunningOutPage,
  ShownCertificate,
  Verification,
} from '@nudrik/contract';
import type { Design } from '@nudrik/core';
import type { Observable } from 'rxjs';

@Injectable({ providedIn: 'root' })
export class CertificatesApi {
  private readonly http = inject(HttpClient);

  list(params: Record<string, string>): Observable<CertificatesPage> {
    return this.http.get<CertificatesPage>('/api/certificates', { params });
  }

  revoke(serial: string, reason: string): Observable<unknown> {
    return this.http.post(`/api/certificates/${encodeURIComponent(serial)}/revoke`, { reason });
  }

  runningOut(params: Record<string, string>): Observable<RunningOutPage> {
    return this.http.get<RunningOutPage>('/api/certificates/running-out', { params });
  }

  reissue(serial: string, reason: string): Observable<{ serial: string }> {
    return this.http.post<{ serial: string }>(`/api/certificates/${encodeURIComponent(serial)}/reissue`, { reason });
  }

  /** Ends the page by which its holder shows it. */
  endShown(serial: string): Observable<unknown> {
    return this.http.delete(`/api/certificates/${encodeURIComponent(serial)}/shown`);
  }

  add(certificate: AddCertificate): Observable<CertificateAdded> {
    return this.http.post<CertificateAdded>('/api/certificates', certificate);
  }

  /** Where the file of a selection is, once it is made. */
  file(request: CertificatesFile): Observable<CertificatesMade> {
    return this.http.post<CertificatesMade>('/api/certificates/file', request);
  }

  designs(): Observable<DesignRow[]> {
    return this.http.get<DesignRow[]>('/api/certificate-designs');
  }

  design(id: string): Observable<DesignView> {
    return this.http.get<DesignView>(`/api/certificate-designs/${id}`);
  }

  designVersion(id: string, version: number): Observable<Design> {
    return this.http.get<Design>(`/api/certificate-designs/${id}/versions/${version}`);
  }

  designPeople(): Observable<DesignPeople> {
    return this.http.get<DesignPeople>('/api/certificate-designs/people');
  }

  lookAtDesign(look: DesignLook): Observable<DesignSeen> {
    return this.http.post<DesignSeen>('/api/certificate-designs/preview', look);
  }

  createDesign(draft: NewDesign): Observable<{ id: string }> {
    return this.http.post<{ id: string }>('/api/certificate-designs', draft);
  }

  saveDesign(id: string, draft: DesignSave): Observable<DesignView> {
    return this.http.put<DesignView>(`/api/certificate-designs/${id}`, draft);
  }

  retireDesign(id: string, isRetired: boolean): Observable<DesignView> {
    return this.http.post<DesignView>(`/api/certificate-designs/${id}/retire`, { isRetired });
  }

  /** @param id null is the design that comes with Nudrik */
  chooseHouseDesign(id: string | null): Observable<DesignRow[]> {
    return this.http.put<DesignRow[]>('/api/certificate-designs/house', { id });
  }

  addPicture(file: File): Observable<CertificatePicture> {
    return this.http.post<CertificatePicture>('/api/certificate-pictures', file, { params: { name: file.name }, headers: { 'content-type': 'application/octet-stream' } }); // prettier-ignore
  }

  shown(link: string): Observable<ShownCertificate> {
    return this.http.get<ShownCertificate>(`/api/shown/${encodeURIComponent(link)}`);
  }

  /** @param hash the SHA-256 of a file, in hex */
  verifyFile(hash: string): Observable<Verification> {
    return this.http.get<Verification>(`/api/verify/file/${hash}`);
  }

  verify(serial: string): Observable<Verification> {
    return this.http.get<Verification>(`/api/verify/${encodeURIComponent(serial)}`);
  }
}
