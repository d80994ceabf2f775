// Things to be kept go out one after the other, in the order in which they were said.

/**
 * @param {(url: string, values: object) => Promise<{text: string, headers: Headers}>} send
 * @param {(text: string) => void} settled told the last answer, once nothing waits any more
 */
export class Outbox {
  #send;
  #settled;
  #last = Promise.resolve();
  #waiting = 0;

  constructor(send, settled) {
    this.#send = send;
    this.#settled = settled;
  }

  /** Send after all that was said before. One of `kept` and `failed` is called; a failure holds up nothing. */
  put(url, values, { kept = () => {}, failed = () => {} } = {}) {
    this.#waiting += 1;
    this.#last = this.#last
      .then(() => this.#send(url, values))
      .then(
        (answer) => {
          this.#waiting -= 1;
          kept(answer);
          if (!this.#waiting) this.#settled(answer.text);
        },
        (error) => {
          this.#waiting -= 1;
          failed(error);
        },
      );
    return this.#last;
  }
}
