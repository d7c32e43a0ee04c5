import { HttpClient } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import type { CourseChange, CourseDraft, CourseRow, CourseView } from '@nudrik/contract';
import type { Observable } from 'rxjs';

export interface StoredFile {
  id: string;
  name: string;
  bytes: number;
}

@Injectable({ providedIn: 'root' })
export class CoursesApi {
  private readonly http = inject(HttpClient);

  list(): Observable<CourseRow[]> {
    return this.http.get<CourseRow[]>('/api/courses');
  }

  get(id: string): Observable<CourseView> {
    return this.http.get<CourseView>(`/api/courses/${id}`);
  }

  add(draft: CourseDraft): Observable<{ id: string }> {
    return this.http.post<{ id: string }>('/api/courses', draft);
  }

  change(id: string, draft: CourseChange): Observable<CourseView> {
    return this.http.put<CourseView>(`/api/courses/${id}`, draft);
  }

  upload(file: File): Observable<StoredFile> {
    return this.http.post<StoredFile>('/api/files', file, {
      params: { name: file.name, type: file.type || 'application/octet-stream' },
      headers: { 'content-type': 'application/octet-stream' },
    });
  }
}
