/** Sending files: how far it is, and stopping it. fetch tells neither of what goes out. */

import { Failure } from "./server";
import type { Told } from "./types";

export class Stopped extends Error {}

export class Upload {
  /** 0..1 of the bytes; 1 while the server works on them. */
  sent = $state(0);
  #request: XMLHttpRequest | null = null;

  post<T>(path: string, form: FormData): Promise<T> {
    const request = new XMLHttpRequest();
    this.#request = request;
    this.sent = 0;
    return new Promise((resolve, reject) => {
      request.open("POST", path);
      request.responseType = "json";
      request.upload.onprogress = (event) => {
        if (event.lengthComputable) this.sent = event.loaded / event.total;
      };
      request.upload.onload = () => (this.sent = 1);
      request.onload = () => {
        const body: unknown = request.response;
        if (request.status < 300) resolve(body as T);
        else {
          const told = (body ?? {}) as Partial<Told>;
          const problem = told.problem ?? `The server answered with an error (${request.status}).`;
          reject(new Failure(problem, told.remedy ?? "Try again.", request.status));
        }
      };
      request.onerror = () =>
        reject(new Failure("The server does not answer.", "Check that Ash Blend is still running.", 0));
      request.onabort = () => reject(new Stopped());
      request.send(form);
    });
  }

  stop(): void {
    this.#request?.abort();
  }
}
