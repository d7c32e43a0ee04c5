import { HttpClient } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import type { SurveyView } from '@nudrik/contract';
import type { Observable } from 'rxjs';

@Injectable({ providedIn: 'root' })
export class SurveysApi {
  private readonly http = inject(HttpClient);

  view(course: string, unit: string): Observable<SurveyView> {
    return this.http.get<SurveyView>(`/api/courses/${course}/surveys/${unit}`);
  }
}
