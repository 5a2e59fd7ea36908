/** Calls the control API with the control token. */
export class ControlClient {
  #base;
  #token;

  constructor(base, token) {
    this.#base = base;
    this.#token = token;
  }

  get(path) {
    return this.call('GET', `/control/v1${path}`);
  }

  send(method, path, body) {
    return this.call(method, `/control/v1${path}`, body);
  }

  /** @throws Error with what the control plane said */
  async call(method, path, body, token = this.#token) {
    const answer = await fetch(this.#base + path, {
      method,
      headers: { authorization: `Bearer ${token}`, ...(body === undefined ? {} : { 'content-type': 'application/json' }) },
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
    });
    const text = await answer.text();
    if (!answer.ok) throw new Error(`${method} ${path} answered ${answer.status}: ${text.slice(0, 500)}`);
    return text === '' ? null : JSON.parse(text);
  }
}
