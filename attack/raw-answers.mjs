// Answers as no HTTP library would write them: what they say twice, or so that readers differ, or in places that are seldom looked at.
import { gzipSync } from 'node:zlib';

const answer = (fields, body, line = 'HTTP/1.1 200 OK') => `${line}\r\n${fields.map((field) => `${field}\r\n`).join('')}\r\n${body}`;
const length = (text) => `Content-Length: ${Buffer.byteLength(text, 'latin1')}`;
const chunked = (text) => `${Buffer.byteLength(text, 'latin1').toString(16)}\r\n${text}\r\n0\r\n`;

/** Bytes by name, as latin1, each with a text in it that may not leave. */
export function rawAnswers(mail) {
  const body = JSON.stringify({ contact: mail });
  const packed = gzipSync(body).toString('latin1');
  const json = 'Content-Type: application/json';
  return {
    types: answer([json, 'Content-Type: text/html', length(body)], body),
    typesTurned: answer(['Content-Type: image/png', json, length(body)], body),
    typesInOne: answer(['Content-Type: image/png, application/json', length(body)], body),
    typeUnheard: answer(['Content-Type: aplication/json', length(body)], body),
    typeFalse: answer(['Content-Type: image/png', length(body)], body),
    typeOpaque: answer(['Content-Type: application/octet-stream', length(body)], body),
    codings: answer([json, 'Content-Encoding: gzip', 'Content-Encoding: identity', length(packed)], packed),
    codingsInOne: answer([json, 'Content-Encoding: gzip, identity', length(packed)], packed),
    codingOdd: answer([json, 'Content-Encoding: GZip', length(packed)], packed),
    codingFalse: answer([json, 'Content-Encoding: gzip', length(body)], body),
    lengths: answer([json, 'Content-Length: 2', length(body)], body),
    lengthsInOne: answer([json, `${length(body)}, 2`], body),
    both: answer([json, 'Content-Length: 2', 'Transfer-Encoding: chunked'], `${chunked(body)}\r\n`),
    transferTwice: answer([json, 'Transfer-Encoding: chunked', 'Transfer-Encoding: chunked'], `${chunked(body)}\r\n`),
    transferOdd: answer([json, 'Transfer-Encoding: xchunked'], `${chunked(body)}\r\n`),
    trailer: answer([json, 'Trailer: X-Contact', 'Transfer-Encoding: chunked'], `${chunked('{}')}X-Contact: ${mail}\r\n\r\n`),
    extension: answer([json, 'Transfer-Encoding: chunked'], `2;by=${mail}\r\n{}\r\n0\r\n\r\n`),
    early: answer([`Link: </people?of=${mail}>`], '', 'HTTP/1.1 103 Early Hints') + answer([json, 'Content-Length: 2'], '{}'),
    reason: answer([json, 'Content-Length: 2'], '{}', `HTTP/1.1 200 for ${mail}`),
    cookie: answer([json, `Set-Cookie: by=${mail}`, 'Set-Cookie: of=x', 'Content-Length: 2'], '{}'),
    fieldsTwice: answer([json, 'X-By: none', `X-By: ${mail}`, 'Content-Length: 2'], '{}'),
    folded: answer([json, 'X-By: none', ` ${mail}`, 'Content-Length: 2'], '{}'),
    old: answer([json], body, 'HTTP/1.0 200 OK'),
    none: body,
    noLine: answer([json], body, ''),
    bareLines: answer([json, length(body)], body).replaceAll('\r\n', '\n'),
    empty: answer([json, length(body)], body, 'HTTP/1.1 204 No Content'),
    unchanged: answer([json, length(body)], body, 'HTTP/1.1 304 Not Modified'),
    switched: answer([json, 'Upgrade: other', 'Connection: Upgrade'], body, 'HTTP/1.1 101 Switching Protocols'),
    strange: answer([json, length(body)], body, 'HTTP/1.1 299 Other'),
    after: answer([json, 'Content-Length: 2'], `{}${answer([json, length(body)], body)}`),
  };
}

/** What is put into answers to damage them. */
const PIECES = [
  ...['\r\n', '\n', '\r', '\0', ' ', '\t', ':', ',', ';', '0', 'ffffffff', '-1', 'chunked', '\xff'],
  ...['Content-Length: 5\r\n', 'Transfer-Encoding: chunked\r\n', 'Connection: content-type\r\n', 'Content-Encoding: br\r\n'],
  ...['HTTP/1.1 200 OK\r\n\r\n', 'HTTP/1.1 100 Continue\r\n\r\n'],
];

/** An answer that is damaged in one to three places: something put in, left out or said again, or its end cut off. @param chance a whole number below another one */
export function damaged(text, chance) {
  let made = text;
  for (let times = 0; times <= chance(3); times++) {
    const at = chance(made.length + 1);
    const lines = made.split('\r\n');
    const ways = [
      () => made.slice(0, at) + PIECES[chance(PIECES.length)] + made.slice(at),
      () => made.slice(0, at) + made.slice(at + 1 + chance(8)),
      () => made.slice(0, at),
      () => lines.toSpliced(chance(lines.length), 0, lines[chance(lines.length)]).join('\r\n'),
    ];
    made = ways[chance(ways.length)]();
  }
  return made;
}

/** The same numbers each time (a linear congruential generator with the constants of ISO C's example, from memory). */
export function repeatableChance(seed) {
  let state = seed;
  return (below) => {
    state = (Math.imul(state, 1_103_515_245) + 12_345) & 0x7f_ff_ff_ff;
    return (state >> 8) % below;
  };
}
