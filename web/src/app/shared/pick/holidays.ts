import { HttpClient } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import type { SiteHoliday } from '@nudrik/contract';
import { catchError, of, shareReplay } from 'rxjs';

/** The holidays of all sites, read once for all calendars; null where they cannot be read. */
@Injectable({ providedIn: 'root' })
export class Holidays {
  readonly all = inject(HttpClient)
    .get<SiteHoliday[]>('/api/holidays')
    .pipe(
      catchError(() => of(null)),
      shareReplay({ bufferSize: 1, refCount: true }),
    );
}
