import { Background } from '../src/http/background.js';
import { Turns } from '../src/http/turns.js';
import { storageProblem } from '../src/store/store.js';
import { RECORD_LIMITS } from '../../gateway/src/records/recorder.js';
import { accessFrom, accessView } from '../src/control/apis/access-mapping.js';
import { SAMPLING } from '../src/control/traces/traces.service.js';
import { Vault } from '../src/secret/vault.js';
import { checkPassword, hashPassword } from '../src/session/passwords.js';
import { sameText } from '../src/session/session.service.js';

describe('secrets at rest', () => {
  const vault = new Vault(Buffer.alloc(32, 7));

  test('open for their owner only, and never look alike', () => {
    const sealed = vault.seal('client secret', 'persona-1');
    expect(vault.open(sealed, 'persona-1')).toBe('client secret');
    expect(sealed).not.toBe(vault.seal('client secret', 'persona-1'));
    expect(() => vault.open(sealed, 'persona-2')).toThrow();
    expect(() => new Vault(Buffer.alloc(32, 8)).open(sealed, 'persona-1')).toThrow();
    expect(() => vault.open(`${sealed.slice(0, -2)}${sealed.endsWith('AA') ? 'BB' : 'AA'}`, 'persona-1')).toThrow();
  });
});

describe('passwords', () => {
  test('are hashed with a salt, and compared after normalisation', async () => {
    const stored = await hashPassword('Wasserstraße é');
    expect(stored).not.toContain('Wasser');
    expect(stored).not.toBe(await hashPassword('Wasserstraße é'));
    expect(await checkPassword('Wasserstraße e\u0301', stored)).toBe(true);
    expect(await checkPassword('Wasserstrasse é', stored)).toBe(false);
    expect(await checkPassword('', stored)).toBe(false);
    expect(await checkPassword('anything', null)).toBe(false);
  });

  test('texts of any length are compared', () => expect([sameText('a', 'a'), sameText('a', 'ab'), sameText('', '')]).toEqual([true, false, true]));
});

describe('rules on their way in and out', () => {
  const schemes = new Set(['s']);
  test('come back as they went in', () => {
    const dto = {
      kind: 'required' as const,
      origin: 'hand' as const,
      alternatives: [{ schemes: [{ scheme: 's', scopes: ['a', 'b'], match: 'any' as const, roles: ['rider'] }] }, { schemes: [] }],
    };
    expect(accessView(accessFrom(dto, schemes, '/access'))).toEqual(dto);
    expect(accessView(accessFrom({ kind: 'public' }, schemes, ''))).toEqual({ kind: 'public', origin: 'hand' });
  });
  test('that require nothing, or a scheme that is not there, are refused', () => {
    expect(() => accessFrom({ kind: 'required', alternatives: [] }, schemes, '/access')).toThrow();
    expect(() => accessFrom({ kind: 'required', alternatives: [{ schemes: [{ scheme: 't', scopes: [], match: 'all' }] }] }, schemes, '/access')).toThrow();
  });
});

test('the console says of sampling what the gateway does', () => {
  expect(SAMPLING).toEqual({ passedPerSecond: RECORD_LIMITS.passedPerSecond, refusedPerSecond: RECORD_LIMITS.refusedPerSecond });
});

describe('turns', () => {
  test('a few at a time, a bounded number wait, one more is refused; each gives its turn back once', async () => {
    const turns = new Turns(2, 2);
    const [first, second] = [await turns.take(), await turns.take()];
    const order: string[] = [];
    const waiting = ['third', 'fourth'].map(async (name) => {
      const done = await turns.take();
      order.push(name);
      return done;
    });
    await Promise.resolve();
    expect(await turns.take()).toBeNull();
    first?.();
    first?.();
    await new Promise((resolve) => setImmediate(resolve));
    expect(order).toEqual(['third']);
    second?.();
    for (const done of await Promise.all(waiting)) done?.();
    expect(order).toEqual(['third', 'fourth']);
    const again = [await turns.take(), await turns.take()];
    expect(again.every(Boolean)).toBe(true);
  });
});

describe('work in the background', () => {
  test('that fails is said until it succeeds again, and ends nothing', async () => {
    const background = new Background();
    const settled = () => new Promise((resolve) => setTimeout(resolve, 5));
    background.own('Sweeping', () => Promise.reject(new Error('the disk is full')));
    background.own('Counting', () => {
      throw new Error('no fingers');
    });
    background.own('Looking', () => Promise.resolve());
    await settled();
    expect([...background.problems].sort()).toEqual(['Counting failed: no fingers', 'Sweeping failed: the disk is full']);
    background.own('Sweeping', () => Promise.resolve());
    await settled();
    expect(background.problems).toEqual(['Counting failed: no fingers']);
  });
});

test.each([
  [{ parent: { code: 'SQLITE_FULL' } }, 'the disk is full'],
  [{ code: 'SQLITE_BUSY' }, 'another program holds the database'],
  [{ parent: { code: 'SQLITE_CONSTRAINT' } }, null],
  [new Error('x'), null],
])('%j is told as %s', (error, said) => expect(storageProblem(error)).toBe(said));
