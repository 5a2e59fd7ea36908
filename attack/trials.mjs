// Ways to publish past what trials say, and what trials send, sent.
import { sentAttacks } from '@virga/core';
import { raw, request, statusOf } from './wire.mjs';

export const TRIALS = {
  'a release that opens what was guarded, without a word that overrules it': async ({ must, call, mixed }) => {
    await must('PATCH', `/apis/${mixed.id}/operations`, { ids: ['GET /guarded'], access: { kind: 'public' } });
    const { body: report } = await call('POST', '/trials/run');
    const failing = report.items.filter(({ result }) => result === 'fails').map(({ name }) => name);
    if (failing.length === 0) return 'the trials let it pass';
    const [name] = failing;
    const words = [
      undefined,
      [],
      [''],
      ['*'],
      [name.slice(0, -1)],
      [` ${name}`],
      [name.toUpperCase()],
      [`${name}\u0000`],
      ['GET /guarded'],
      [[name]],
      [{ name }],
      name,
      null,
      { 0: name, length: 1 },
      [null],
      [true],
    ];
    let got = null;
    for (const overrule of words) {
      const { status } = await call('POST', '/releases', { note: 'past', ...(overrule === undefined ? {} : { overrule }) });
      if (status < 300) got = `overruled by ${JSON.stringify(overrule)}`;
    }
    await must('POST', '/draft/discard');
    return got;
  },
  'everything that trials try without a credential': async ({ must, gateway, upstream }) => {
    const { live } = await must('GET', '/standing');
    const attacks = await sentAttacks(await must('GET', `/releases/${live.number}/document`), Date.now());
    if (attacks.length < 100) return `only ${attacks.length} attacks, so that little is shown by this`;
    upstream.ran.length = 0;
    for (const { name, method, target, headers } of attacks) {
      const status = statusOf(await raw(gateway, request(method, target, headers), { silenceMs: 3000 }));
      if (status >= 200 && status < 400) return `${name} was answered ${status}`;
      const hit = upstream.ran.find(({ guarded }) => guarded);
      if (hit) return `${name} ran ${hit.name}`;
    }
    return null;
  },
};
