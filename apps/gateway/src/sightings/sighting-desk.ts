import {
  compileRedactor,
  detectorFinder,
  formPairs,
  isExpectedHeader,
  learnsFrom,
  mediaTypeOf,
  pack,
  PathLearner,
  scanForm,
  scanJsonText,
  scanPairs,
  scanPath,
  scanText,
  SeenFindings,
  sawRequest,
  newOperation,
  plainTemplate,
  textOfBody,
  type Detector,
  type FindingSide,
  type Hit,
  type LearnedBatch,
  type Redactor,
  type SeenOperation,
  type SeenText,
  type SensitiveUse,
  type Sighting,
} from '@virga/core';
import { brotliDecompressSync, gunzipSync, inflateSync } from 'node:zlib';
import type { SeenApiReport, SeenBytes, SeenRequest, WatchedRelease } from './sighting-messages.js';

/** Bytes of a body when it is unpacked. */
const UNPACKED = 1024 * 1024;
/** Operations that one report tells; the rest waits for the next. */
const MOST_TOLD = 200;

const DECODERS: Readonly<Record<string, (bytes: Uint8Array, options: { maxOutputLength: number }) => Uint8Array>> = {
  gzip: gunzipSync,
  'x-gzip': gunzipSync,
  deflate: inflateSync,
  br: brotliDecompressSync,
};

/** What is looked for in one API, and what was seen of it since it was told last. */
interface WatchedApi {
  readonly rule: WatchedRelease['apis'][number];
  readonly up: readonly Detector[];
  readonly back: readonly Detector[];
  paths: PathLearner;
  operations: Map<string, SeenOperation>;
  findings: SeenFindings;
}

/** A body that was read. */
interface ReadBody {
  readonly media: string | null;
  readonly kind: 'json' | 'form' | 'text' | 'none';
  readonly text: string;
}

/** Looks into requests one by one. What was told is forgotten here: the control plane puts it together. */
export class SightingDesk {
  #apis = new Map<string, WatchedApi>();
  #redactor: Redactor = compileRedactor();
  #secret: ReadonlySet<string> = new Set();

  follow({ apis, detectors, places }: WatchedRelease): void {
    const find = detectorFinder(detectors);
    const before = this.#apis;
    this.#redactor = compileRedactor(places);
    this.#secret = new Set(places.map(({ name }) => name.toLowerCase()));
    this.#apis = new Map(
      apis.map((rule): [string, WatchedApi] => {
        const known = before.get(rule.id);
        const detectorsOf = (side: 'request' | 'answer'): Detector[] => rule.uses.filter((use) => use[side] !== null).map(({ detector }) => find(detector));
        return [
          rule.id,
          {
            rule,
            up: detectorsOf('request'),
            back: detectorsOf('answer'),
            paths: known?.paths ?? new PathLearner(),
            operations: known?.operations ?? new Map<string, SeenOperation>(),
            findings: known?.findings ?? new SeenFindings(),
          },
        ];
      }),
    );
  }

  see(seen: SeenRequest): void {
    const api = this.#apis.get(seen.apiId);
    if (!api) return;
    const headers = pairs(seen.headers);
    const credentials = this.#redactor.credentialsOf(Object.fromEntries(headers), seen.query);
    const query = [...new URLSearchParams(seen.query)];
    const [request, answer] = [read(seen.request), read(seen.answer)];
    const path = this.#redactor.text(seen.path, credentials);
    if (learnsFrom(api.rule.learning, seen.status))
      this.#learn(api, seen.operationId, {
        at: seen.at,
        method: seen.method,
        path,
        query: query.filter(([name]) => !this.#isSecret(name)),
        headers: headers.filter(([name]) => !this.#isSecret(name)),
        request: request && valueOf(request),
        status: seen.status,
        answer: answer && valueOf(answer),
        caller: seen.caller,
        credentials: seen.credentials,
      });
    if (api.up.length + api.back.length === 0) return;
    const operation = seen.operationId || `${seen.method} ${plainTemplate(path)}`;
    const tell = (side: FindingSide, hits: readonly Hit[]): void => {
      if (hits.length > 0) api.findings.saw(operation, side, hits, { at: seen.at, caller: seen.caller, reached: reaches(api.rule.uses, side, seen) });
    };
    const named = (list: readonly (readonly [string, string])[], detectors: readonly Detector[]): Hit[] =>
      list.flatMap(([name, value]) => (this.#isSecret(name) ? [] : scanText(value, detectors, name, name).hits));
    if (api.up.length > 0) {
      tell('path', scanPath(seen.path, api.up));
      tell(
        'query',
        scanPairs(
          query.filter(([name]) => !this.#isSecret(name)),
          api.up,
        ),
      );
      tell(
        'header',
        named(
          headers.filter(([name]) => !isExpectedHeader(name)),
          api.up,
        ),
      );
      if (request) tell('body', scan(request, api.up));
    }
    if (api.back.length > 0) {
      tell('answer-header', named(pairs(seen.answerHeaders), api.back));
      if (answer) tell('answer-body', scan(answer, api.back));
    }
  }

  #isSecret(name: string): boolean {
    return this.#secret.has(name.toLowerCase());
  }

  #learn(api: WatchedApi, operationId: string, sighting: Sighting): void {
    if (operationId === '') return api.paths.see(sighting);
    let operation = api.operations.get(operationId);
    if (!operation) api.operations.set(operationId, (operation = newOperation(sighting.method)));
    sawRequest(operation, sighting, []);
  }

  /** What is known since this was asked last; null where that is nothing. */
  report(): readonly SeenApiReport[] | null {
    const reports: SeenApiReport[] = [];
    let room = MOST_TOLD;
    for (const api of this.#apis.values()) {
      if (api.paths.entries.size === 0 && api.operations.size === 0 && api.findings.size === 0 && api.paths.unplaced === 0) continue;
      const paths = [...api.paths.entries.values()].slice(0, room);
      room -= paths.length;
      const operations = [...api.operations].slice(0, room);
      room -= operations.length;
      const learned: LearnedBatch = { paths, operations, unplaced: api.paths.unplaced, findings: api.findings.take() };
      reports.push({ apiId: api.rule.id, learned: pack(learned) });
      for (const { path, operation } of paths) api.paths.forget(`${operation.method} ${path}`);
      for (const [id] of operations) api.operations.delete(id);
      api.paths.unplaced = 0;
      if (room <= 0) break;
    }
    return reports.length === 0 ? null : reports;
  }
}

/** Which detectors' findings reached whoever the message was for: a request that was answered has, an answer as far as it went out as it came. */
function reaches(uses: readonly SensitiveUse[], side: FindingSide, { delivered }: SeenRequest): (detector: string) => boolean {
  if (side !== 'answer-header' && side !== 'answer-body') return () => true;
  if (delivered !== 'masked') return () => delivered === 'whole';
  const masked = new Set(uses.filter(({ answer }) => answer === 'mask').map(({ detector }) => detector));
  return (detector) => !masked.has(detector);
}

function pairs(flat: readonly string[]): [string, string][] {
  const out: [string, string][] = [];
  for (let index = 0; index + 1 < flat.length; index += 2) out.push([flat[index] as string, flat[index + 1] as string]);
  return out;
}

/** Reads a body as far as it is a text; one of which only the beginning is here is a text and no JSON. */
function read(body: SeenBytes | null): ReadBody | null {
  if (body === null) return null;
  const media = mediaTypeOf(body.type);
  const bytes = unpacked(body);
  if (bytes === null) return { media, kind: 'none', text: '' };
  const text = textOfBody(body.cut ? upToCharacter(bytes) : bytes, media, body.type);
  if (text.kind === 'other' || text.kind === 'unread') return { media, kind: 'none', text: '' };
  return { media, kind: body.cut && text.kind === 'json' ? 'text' : text.kind, text: text.text };
}

function unpacked({ coding, bytes, cut }: SeenBytes): Uint8Array | null {
  const name = coding.trim().toLowerCase();
  if (name === '' || name === 'identity') return bytes;
  const decode = Object.hasOwn(DECODERS, name) ? DECODERS[name] : undefined;
  if (!decode || cut) return null;
  try {
    return decode(bytes, { maxOutputLength: UNPACKED });
  } catch {
    return null;
  }
}

/** Without the first bytes of a character whose rest was cut off. */
function upToCharacter(bytes: Uint8Array): Uint8Array {
  let end = bytes.length;
  for (let back = 1; back <= 4 && back <= bytes.length; back++) {
    const byte = bytes[bytes.length - back] as number;
    if (byte < 0x80) break;
    end = bytes.length - back;
    if (byte >= 0xc0) break;
  }
  return bytes.subarray(0, end);
}

function valueOf({ media, kind, text }: ReadBody): SeenText {
  if (kind === 'json') {
    try {
      return { type: media, value: JSON.parse(text) as unknown };
    } catch {
      return { type: media, value: undefined };
    }
  }
  if (kind === 'form') return { type: media, value: formOf(text) };
  return { type: media, value: undefined };
}

/** A form as an object; fields that come several times are lists. */
function formOf(text: string): Record<string, unknown> {
  const form = Object.create(null) as Record<string, unknown>;
  for (const [name, value] of formPairs(text)) {
    const before = form[name];
    form[name] = before === undefined ? value : Array.isArray(before) ? [...(before as unknown[]), value] : [before, value];
  }
  return form;
}

function scan({ kind, text }: ReadBody, detectors: readonly Detector[]): readonly Hit[] {
  if (kind === 'none') return [];
  if (kind === 'json') return (scanJsonText(text, detectors) ?? scanText(text, detectors)).hits;
  return (kind === 'form' ? scanForm : scanText)(text, detectors).hits;
}
