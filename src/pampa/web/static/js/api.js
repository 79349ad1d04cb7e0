// Talking to the server. Every error becomes an Error whose message can be shown as it stands.

const token = () => document.querySelector('meta[name="pampa-token"]').getAttribute("content");

export class Refused extends Error {
  constructor(status, error) {
    super(error.message);
    this.status = status;
    this.kind = error.kind;
    this.received = error.received;
  }
}

/**
 * @param {string} method
 * @param {string} path
 * @param {{body?: any, raw?: BodyInit, signal?: AbortSignal}} options
 */
async function send(method, path, { body, raw, signal } = {}) {
  const headers = { "X-Pampa-Token": token(), Accept: "application/json" };
  if (body !== undefined) headers["Content-Type"] = "application/json";
  if (raw !== undefined) headers["Content-Type"] = "application/octet-stream";
  let response;
  try {
    response = await fetch(path, { method, headers, signal, body: raw ?? (body === undefined ? undefined : JSON.stringify(body)) });
  } catch (error) {
    if (error.name === "AbortError") throw error;
    throw new Refused(0, { kind: "Unreachable", message: "Pampa does not answer. What was saved is safe. It is tried again." });
  }
  if (response.ok) return response;
  const told = await response.json().catch(() => ({ error: { kind: "Unforeseen", message: "Something failed. Nothing was lost." } }));
  throw new Refused(response.status, told.error);
}

const parsed = async (response) => (response.status === 204 ? null : response.json());

export const api = {
  get: async (path) => parsed(await send("GET", path)),
  post: async (path, body = {}) => parsed(await send("POST", path, { body })),
  patch: async (path, body) => parsed(await send("PATCH", path, { body })),
  put: async (path, body) => parsed(await send("PUT", path, { body })),
  postBytes: async (path, raw) => parsed(await send("POST", path, { raw })),
  putBytes: async (path, raw, signal) => parsed(await send("PUT", path, { raw, signal })),
  remove: async (path) => parsed(await send("DELETE", path)),
  bytes: (path, signal) => send("GET", path, { signal }),
};
