import { HttpClient } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import type { HolidaysDraft, HolidaysRead, StructureView } from '@nudrik/contract';
import type { Observable } from 'rxjs';

/** Departments, sites with their calendars, groups. */
@Injectable({ providedIn: 'root' })
export class StructureApi {
  private readonly http = inject(HttpClient);

  structure(): Observable<StructureView> {
    return this.http.get<StructureView>('/api/people/structure');
  }

  /** Makes a department, a site or a group. */
  make(what: 'departments' | 'sites' | 'groups', draft: object): Observable<{ id: string }> {
    return this.http.post<{ id: string }>(`/api/people/${what}`, draft);
  }

  /** Changes one; `draft` carries the version that it began from. */
  save(what: 'departments' | 'sites' | 'groups', id: string, draft: object): Observable<{ id: string }> {
    return this.http.patch<{ id: string }>(`/api/people/${what}/${id}`, draft);
  }

  remove(what: 'departments' | 'groups', id: string): Observable<unknown> {
    return this.http.delete(`/api/people/${what}/${id}`);
  }

  saveHolidays(siteId: string, draft: HolidaysDraft): Observable<unknown> {
    return this.http.put(`/api/people/sites/${siteId}/holidays`, draft);
  }

  readHolidays(file: File, from: number, to: number): Observable<HolidaysRead> {
    return this.http.post<HolidaysRead>('/api/people/holidays/read', file, {
      params: { fileName: file.name, from, to },
      headers: { 'content-type': 'application/octet-stream' },
    });
  }
}
