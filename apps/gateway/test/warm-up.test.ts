import { Recorder } from '../src/records/recorder.js';
import { warmUp } from '../src/warm-up.js';
import { until } from './harness.js';

const sockets = (): string[] => process.getActiveResourcesInfo().filter((name) => name.startsWith('TCP'));

describe('before a node serves', () => {
  it('requests that nobody sent are let through and refused by real rules, once, and nothing of them stays', async () => {
    const before = sockets();
    const codes: string[] = [];
    const { finish } = Recorder.prototype;
    Recorder.prototype.finish = function (this: Recorder, exchange, done, keep) {
      codes.push(`${done.found.code} ${done.status}`);
      finish.call(this, exchange, done, keep);
    };
    await Promise.all([warmUp(), warmUp()]);
    expect([...new Set(codes)].sort()).toEqual(['contract-body.differs 400', 'credential.missing 401', 'token.signature-invalid 401', 'upstream.answered 200']);
    const asked = codes.length;
    await warmUp();
    expect(codes).toHaveLength(asked);
    Recorder.prototype.finish = finish;
    await until(() => sockets().length <= before.length);
    expect(sockets()).toEqual(before);
  });
});
