import { HttpClient } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import type { FileMeans, PageOfFile, StoredFile } from '@nudrik/contract';
import { FILE_LIMIT, tellBytes } from '@nudrik/core';
import { from, Observable, switchMap } from 'rxjs';
import { SessionStore } from '../access/session.store.ts';

/** How far a file is on its way, and the file once it has been taken. */
export type Coming = { sent: number; isCutOff: boolean } | { file: StoredFile };

/** What goes over the wire at once: what stands between takes that, and a cut costs no more. Bytes. */
const CHUNK = 8 * 1024 * 1024;
/** Pauses before it is tried again: a ship leaves the harbour and comes back. */
const AGAIN_MS = [0, 1_000, 3_000, 5_000, ...Array.from({ length: 120 }, () => 10_000)];

@Injectable({ providedIn: 'root' })
export class FilesApi {
  private readonly http = inject(HttpClient);
  private readonly session = inject(SessionStore);

  /**
   * Sends a file, bit by bit (tus 1.0.0): cut off it goes on where it was, also after the page was loaded again. Unsubscribing
   * stops it.
   */
  upload(file: File): Observable<Coming> {
    return new Observable<Coming>((subscriber) => {
      let stop = (): void => undefined;
      let isOver = false;
      if (file.size > FILE_LIMIT) {
        subscriber.error(
          new Error(`${file.name}: ${tellBytes(FILE_LIMIT)} are the most that a file may have; this one has ${tellBytes(file.size)}.`),
        );
        return undefined;
      }
      void import('tus-js-client').then(({ Upload }) => {
        if (isOver) return;
        const upload = new Upload(file, {
          endpoint: '/api/uploads',
          metadata: { filename: file.name.normalize('NFC') },
          headers: { 'x-csrf-token': this.session.csrf() },
          chunkSize: CHUNK,
          retryDelays: AGAIN_MS,
          removeFingerprintOnSuccess: true,
          onProgress: (sent) => subscriber.next({ sent, isCutOff: false }),
          onShouldRetry: (error) => {
            const status = error.originalResponse?.getStatus() ?? 0;
            const isPassing = status === 0 || status >= 500 || status === 409 || status === 423;
            if (isPassing) subscriber.next({ sent: -1, isCutOff: true });
            return isPassing;
          },
          onError: (error) => subscriber.error(error),
          onSuccess: () => {
            const id = upload.url!.split('/').at(-1)!;
            this.http.post<StoredFile>(`/api/uploads/${id}/taken`, {}).subscribe({
              next: (stored) => {
                subscriber.next({ file: stored });
                subscriber.complete();
              },
              error: (error: unknown) => subscriber.error(error),
            });
          },
        });
        stop = () => void upload.abort();
        void upload.findPreviousUploads().then(([before]) => {
          if (isOver) return;
          if (before) upload.resumeFromPreviousUpload(before);
          upload.start();
        });
      });
      return () => {
        isOver = true;
        stop();
      };
    });
  }

  means(): Observable<FileMeans> {
    return this.http.get<FileMeans>('/api/files/means');
  }

  /** A DOCX as a page. */
  page(id: string): Observable<PageOfFile> {
    return this.http.post<PageOfFile>(`/api/files/${id}/page`, {});
  }

  /** A presentation as a PDF; long work. */
  pdf(id: string): Observable<StoredFile> {
    return this.http.post<StoredFile>(`/api/files/${id}/pdf`, {});
  }

  /** Seconds of a video that is on this device; null where the browser cannot tell. */
  seconds(file: File): Observable<number | null> {
    return from(
      new Promise<number | null>((resolve) => {
        const address = URL.createObjectURL(file);
        const player = document.createElement('video');
        const end = (seconds: number | null): void => {
          URL.revokeObjectURL(address);
          resolve(seconds);
        };
        player.preload = 'metadata';
        player.onloadedmetadata = () => end(Number.isFinite(player.duration) && player.duration > 0 ? player.duration : null);
        player.onerror = () => end(null);
        player.src = address;
      }),
    );
  }

  /** A proof of a completion by hand: small, and sent at once. */
  proof(file: File): Observable<StoredFile> {
    return this.http.post<StoredFile>('/api/files', file, {
      params: { name: file.name, type: file.type || 'application/octet-stream' },
      headers: { 'content-type': 'application/octet-stream' },
    });
  }

  /** Sends a file that is small, and gives it back once it is stored. */
  small(file: File): Observable<StoredFile> {
    return this.upload(file).pipe(switchMap((coming) => ('file' in coming ? [coming.file] : [])));
  }
}

/** What went wrong with an upload: what the server said in its answer, or that it does not answer. */
export function uploadFault(error: unknown, name: string): string | null {
  const answer = (error as { originalResponse?: { getBody(): string } | null }).originalResponse?.getBody();
  try {
    const message = answer ? (JSON.parse(answer) as { message?: string }).message : undefined;
    if (message) return message;
  } catch {
    // said in another way
  }
  if ('originalResponse' in (error as object)) return `${name}: it did not come through. Choose it again; it goes on where it was.`;
  return null;
}
