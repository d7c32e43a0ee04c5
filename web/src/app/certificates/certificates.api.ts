import { HttpClient } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import type { CertificatesPage, RunningOutPage, Verification } from '@nudrik/contract';
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

  /** @param hash the SHA-256 of a file, in hex */
  verifyFile(hash: string): Observable<Verification> {
    return this.http.get<Verification>(`/api/verify/file/${hash}`);
  }

  verify(serial: string): Observable<Verification> {
    return this.http.get<Verification>(`/api/verify/${encodeURIComponent(serial)}`);
  }
}
