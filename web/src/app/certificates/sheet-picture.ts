import { HttpClient } from '@angular/common/http';
import { inject, Injectable } from '@angular/core';
import { firstValueFrom } from 'rxjs';

const FROM = /href="picture:(\w+)"/g;

/** Pictures that stand in looked-at sheets, each fetched once: an SVG that is shown as a picture fetches none by itself. */
@Injectable({ providedIn: 'root' })
export class SheetPictures {
  private readonly http = inject(HttpClient);
  private readonly known = new Map<string, Promise<string>>();

  /** Sheets as addresses of pictures, with their own pictures in them. */
  async show(svgs: readonly string[]): Promise<string[]> {
    const named = new Set(svgs.flatMap((svg) => [...svg.matchAll(FROM)].map(([, name]) => name!)));
    const found = new Map(await Promise.all([...named].map(async (name) => [name, await this.find(name)] as const)));
    return svgs.map((svg) => addressOf(svg.replace(FROM, (_, name: string) => `href="${found.get(name)}"`)));
  }

  private find(name: string): Promise<string> {
    let read = this.known.get(name);
    if (!read) this.known.set(name, (read = this.fetch(name)));
    return read;
  }

  private async fetch(name: string): Promise<string> {
    try {
      return await dataOf(await firstValueFrom(this.http.get(`/api/certificate-pictures/${name}`, { responseType: 'blob' })));
    } catch {
      return ''; // its place stays empty, and the design says so
    }
  }
}

/** An SVG as the address of a picture. */
export const addressOf = (svg: string): string => `data:image/svg+xml;charset=utf-8,${encodeURIComponent(svg)}`;

const dataOf = (blob: Blob): Promise<string> =>
  new Promise((resolve) => {
    const reader = new FileReader();
    reader.onload = () => resolve(String(reader.result));
    reader.readAsDataURL(blob);
  });
