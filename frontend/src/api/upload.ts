// Streaming one file to the server with its progress. XMLHttpRequest, because fetch tells nothing about what has been sent.
import { sentence } from './client';

/** Sends a file as the raw body of a PUT. `sent` is called with the bytes gone out so far. */
export function sendFile(drop: number, path: string, file: File, sent: (bytes: number) => void, stop: AbortSignal): Promise<void> {
  return new Promise((done, fail) => {
    const request = new XMLHttpRequest();
    request.open('PUT', `/api/drops/${drop}/files?path=${encodeURIComponent(path)}`);
    request.setRequestHeader('Content-Type', 'application/octet-stream');
    request.upload.onprogress = (e) => sent(e.loaded);
    request.onload = async () => {
      if (request.status < 300) return done();
      fail(await sentence(new Response(request.responseText, { status: request.status })));
    };
    request.onerror = () => fail(new Error(`${file.name} could not be sent; Hand Lens does not answer.`));
    request.onabort = () => fail(new DOMException('stopped', 'AbortError'));
    stop.addEventListener('abort', () => request.abort());
    request.send(file);
  });
}
