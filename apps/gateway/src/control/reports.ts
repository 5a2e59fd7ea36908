import type { Recorder } from '../records/recorder.js';
import type { SightingThread } from '../sightings/sighting-thread.js';
import type { ControlLink } from './control-link.js';

/** How often what is left at the end is sent: requests that end meanwhile leave records too. */
const LAST_ROUNDS = 20;

/** What a node tells of its traffic: records of requests, and what was learned and found. One report of each is under way at a time. */
export class Reports {
  readonly #link: ControlLink;
  readonly #recorder: Recorder;
  readonly #sightings: SightingThread;
  #sending: Promise<boolean> | null = null;
  #telling: Promise<void> | null = null;

  constructor(link: ControlLink, recorder: Recorder, sightings: SightingThread) {
    this.#link = link;
    this.#recorder = recorder;
    this.#sightings = sightings;
  }

  /** Sends what waits; what could not be sent is kept and sent again before any newer one. @returns whether something was sent */
  records(): Promise<boolean> {
    return (this.#sending ??= this.#send()
      .catch(() => false)
      .finally(() => (this.#sending = null)));
  }

  /** Tells what was learned; what could not be told is kept and told again before any newer report. */
  sightings(): Promise<void> {
    return (this.#telling ??= this.#tell()
      .catch(() => undefined)
      .finally(() => (this.#telling = null)));
  }

  /** Sends what is left, before the link ends: first what is under way. */
  async rest(): Promise<void> {
    for (let rounds = 0; rounds < LAST_ROUNDS && (await this.records()); rounds++);
    await this.sightings();
  }

  async #send(): Promise<boolean> {
    let sent: boolean;
    do sent = await this.#link.send(() => this.#recorder.takeBatch());
    while (sent && this.#recorder.isBehind);
    return sent;
  }

  async #tell(): Promise<void> {
    if (!this.#link.connected) return;
    await this.#link.sendSightings(async () => {
      const apis = await this.#sightings.report();
      const counts = this.#sightings.takeCounts();
      return apis === null && counts.taken + counts.dropped === 0 ? null : { apis: apis ?? [], ...counts };
    });
  }
}
