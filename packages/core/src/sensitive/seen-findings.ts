import { addEvidence, newEvidence, saw, type Evidence } from '../learn/evidence.js';
import type { Hit } from './scan.js';

/** Where in a message something was found. */
export const FINDING_SIDES = ['path', 'query', 'header', 'body', 'answer-header', 'answer-body'] as const;
export type FindingSide = (typeof FINDING_SIDES)[number];

/** What is told apart. */
export interface FindingPlace {
  /** Id of the operation; method and path where no operation matched. */
  readonly operation: string;
  readonly side: FindingSide;
  /** A pointer into a body with `*` for every item of a list, or a name. */
  readonly at: string;
  readonly detector: string;
}

/** What was found at one place. Evidence counts messages. */
export interface SeenFinding extends FindingPlace, Evidence {
  /** Values, of which one message may hold many. */
  values: number;
  /** Messages that reached their receiver with it. */
  passed: number;
  /** Some of them, masked. */
  readonly samples: string[];
}

/** Characters of a place and of a sample. */
const MOST_PLACE = 300;
const MOST_SAMPLE = 60;

export const FINDING_LIMITS = { places: 1000, samples: 3, callers: 50 } as const;

const keyOf = ({ operation, side, at, detector }: FindingPlace): string => [detector, side, operation, at].join('\n');

/** The message that something was found in. */
interface SeenMessage {
  readonly at: number;
  readonly caller: string;
  /** Whether what a detector found reached whoever the message was for. */
  readonly reached: (detector: string) => boolean;
}

/** What was found where, in bounded memory: places that there is no room for are one for each operation. */
export class SeenFindings {
  #found = new Map<string, SeenFinding>();

  get size(): number {
    return this.#found.size;
  }

  /** Adds what was found in one part of a message: values by their place, the message once for each. */
  saw(operation: string, side: FindingSide, hits: readonly Hit[], { at, caller, reached }: SeenMessage): void {
    const met = new Set<SeenFinding>();
    for (const { detector, at: place, text } of hits) {
      const own = this.#placeFor({ operation, side, at: place.slice(0, MOST_PLACE), detector: detector.id });
      met.add(own);
      own.values++;
      if (own.samples.length >= FINDING_LIMITS.samples) continue;
      const sample = detector.mask(text).slice(0, MOST_SAMPLE);
      if (!own.samples.includes(sample)) own.samples.push(sample);
    }
    for (const own of met) {
      saw(own, { at, caller }, FINDING_LIMITS.callers);
      if (reached(own.detector)) own.passed++;
    }
  }

  #placeFor(place: FindingPlace): SeenFinding {
    const key = keyOf(place);
    const known = this.#found.get(key);
    if (known) return known;
    const full = this.#found.size >= FINDING_LIMITS.places;
    const own = full ? { ...place, at: '' } : place;
    const found = this.#found.get(keyOf(own)) ?? { ...own, ...newEvidence(), values: 0, passed: 0, samples: [] };
    this.#found.set(keyOf(own), found);
    return found;
  }

  /** What was found since this was asked last. */
  take(): SeenFinding[] {
    const found = [...this.#found.values()];
    this.#found = new Map();
    return found;
  }
}

/** Adds what somebody else found at the same place. */
export function joinFindings(into: SeenFinding, from: SeenFinding): void {
  addEvidence(into, from, FINDING_LIMITS.callers);
  into.values += from.values;
  into.passed += from.passed;
  for (const sample of from.samples) if (into.samples.length < FINDING_LIMITS.samples && !into.samples.includes(sample)) into.samples.push(sample);
}
