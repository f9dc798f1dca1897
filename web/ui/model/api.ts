// Requests to the server. A request that fails throws a Problem with the server's one line.

export interface Offer {
  words: string;
  edit: unknown;
}

/** A recording that a scene file names, and those here that it could be. */
export interface Choice {
  url: string;
  name: string;
  candidates: { id: string; name: string; seconds: number; rate?: number; channels?: number; bytes: number }[];
}

export class Problem extends Error {
  readonly status: number;
  readonly alternatives: Offer[];
  readonly choices: Choice[];
  constructor(status: number, message: string, alternatives: Offer[] = [], choices: Choice[] = []) {
    super(message);
    this.status = status;
    this.alternatives = alternatives;
    this.choices = choices;
  }
}

async function checked(response: Response): Promise<Response> {
  if (response.ok) return response;
  if (response.status === 401) {
    // nothing is kept in the page alone
    location.assign(`/sign-in?to=${encodeURIComponent(location.pathname + location.search)}`);
  }
  let body: { message?: string; alternatives?: Offer[] } = {};
  try {
    body = await response.json();
  } catch {
    /* not from our handlers */
  }
  throw new Problem(response.status, body.message ?? `The server answered ${response.status}.`, body.alternatives);
}

/** Any request; get, post and the others are made of it. */
export async function ask(url: string, init?: RequestInit): Promise<Response> {
  let response: Response;
  try {
    response = await fetch(url, init);
  } catch (e) {
    if (e instanceof DOMException && e.name === "AbortError") throw e;
    throw new Problem(0, "The server does not answer. Nothing was changed; try again when it runs.");
  }
  return checked(response);
}

export async function get<T>(url: string, signal?: AbortSignal): Promise<T> {
  return (await ask(url, { signal })).json();
}

export async function getBinary(url: string, signal?: AbortSignal): Promise<{ data: ArrayBuffer; headers: Headers }> {
  const response = await ask(url, { signal });
  return { data: await response.arrayBuffer(), headers: response.headers };
}

export async function post<T>(url: string, body: unknown = {}, signal?: AbortSignal): Promise<T> {
  const response = await ask(url, {
    signal,
    method: "POST",
    headers: { "Content-Type": "application/json" },
    body: JSON.stringify(body),
  });
  return response.status === 204 ? (undefined as T) : response.json();
}

export async function request<T>(method: string, url: string): Promise<T> {
  const response = await ask(url, { method });
  return response.status === 204 ? (undefined as T) : response.json();
}

export const remove = (url: string): Promise<void> => request("DELETE", url);

export interface Job {
  id: string;
  kind: string;
  words: string;
  state: "running" | "done" | "failed" | "stopped";
  result: never;
  error?: string;
  done: number;
  made: string;
}

/** Sends a file with progress, 0..1. */
export function send<T>(
  url: string,
  file: File,
  progress: (done: number) => void = () => {},
  stopped?: AbortSignal,
  headers: Record<string, string> = {},
): Promise<T> {
  return new Promise((resolve, reject) => {
    const x = new XMLHttpRequest();
    x.open("POST", url);
    x.setRequestHeader("Blendseam-Name", encodeURIComponent(file.name));
    for (const [name, value] of Object.entries(headers)) x.setRequestHeader(name, encodeURIComponent(value));
    x.upload.onprogress = (e) => e.lengthComputable && progress(e.loaded / e.total);
    x.onload = () => {
      let body: { message?: string; choices?: Choice[] } = {};
      try {
        body = JSON.parse(x.responseText);
      } catch {
        /* nothing to read */
      }
      if (x.status < 300) resolve(body as T);
      else reject(new Problem(x.status, body.message ?? `The server answered ${x.status}.`, [], body.choices));
    };
    x.onerror = () => reject(new Problem(0, `${file.name} did not arrive: the server does not answer.`));
    x.onabort = () => reject(new Problem(0, "Stopped; nothing was kept."));
    stopped?.addEventListener("abort", () => x.abort());
    x.send(file);
  });
}

/** What the page was made with. */
export function pageData<T>(): T {
  return JSON.parse(document.getElementById("data")!.textContent!);
}

/** A name for this page, so that it knows its own edits among the news. */
export const pageName = Math.random().toString(36).slice(2);
