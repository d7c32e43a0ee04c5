import { HttpClient } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import type { SealsCheck, SealsReport, SealsView } from '@nudrik/contract';
import type { Observable } from 'rxjs';
import { paramsOf } from '../shared/params.ts';

@Injectable({ providedIn: 'root' })
export class SealsApi {
  private readonly http = inject(HttpClient);

  list(before?: string): Observable<SealsView> {
    return this.http.get<SealsView>('/api/seals', { params: paramsOf({ before }) });
  }

  verify(check: SealsCheck): Observable<SealsReport> {
    return this.http.post<SealsReport>('/api/seals/verify', check);
  }
}
