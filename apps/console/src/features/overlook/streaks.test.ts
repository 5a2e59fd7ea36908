import { STEPS } from '@virga/core';
import type { FallView } from '@virga/protocol';
import { STREAKS, streaksOf } from './streaks';

const fallOf = (slices: { total: number; token?: number; rights?: number; wouldKey?: number }[]): FallView => ({
  from: 0,
  to: slices.length * 60_000,
  sliceMs: 60_000,
  total: slices.reduce((sum, slice) => sum + slice.total, 0),
  forwarded: 0,
  answered: 0,
  meanUs: 0,
  layers: [],
  slices: slices.map((slice, index) => ({
    at: index * 60_000,
    total: slice.total,
    forwarded: 0,
    stopped: STEPS.map((step) => (step === 'token' ? (slice.token ?? 0) : step === 'rights' ? (slice.rights ?? 0) : 0)),
    wouldStop: STEPS.map((step) => (step === 'key' ? (slice.wouldKey ?? 0) : 0)),
  })),
});

describe('streaks of the fall', () => {
  test('few requests are one streak each', () => {
    const streaks = streaksOf(fallOf([{ total: 3, token: 1 }, { total: 2 }]));
    expect(streaks).toHaveLength(5);
    expect(streaks.filter((streak) => streak.step === 'token')).toHaveLength(1);
  });

  test('many requests keep their proportion, and each streak lies in its slice', () => {
    const fall = fallOf(Array.from({ length: 60 }, () => ({ total: 1000, token: 100 })));
    const streaks = streaksOf(fall);
    expect(Math.abs(streaks.length - STREAKS)).toBeLessThan(10);
    expect(streaks.filter((streak) => streak.step === 'token').length / streaks.length).toBeCloseTo(0.1, 1);
    expect(streaks.every((streak) => streak.at >= 0 && streak.at < fall.to)).toBe(true);
  });

  test('a layer that stopped little still shows', () => {
    const slices = Array.from({ length: 60 }, (_, index) => ({ total: 1000, rights: index % 6 === 0 ? 50 : 0 }));
    expect(streaksOf(fallOf(slices)).some((streak) => streak.step === 'rights')).toBe(true);
  });

  test('what would have been stopped is told apart, and reaches the ground', () => {
    const streaks = streaksOf(fallOf([{ total: 10, token: 2, wouldKey: 3 }]));
    expect(streaks).toHaveLength(10);
    expect(streaks.filter(({ step, would }) => step === null && would === 'key')).toHaveLength(3);
    expect(streaks.filter(({ step, would }) => step === null && would === null)).toHaveLength(5);
  });

  test('nothing gives nothing', () => expect(streaksOf(fallOf([{ total: 0 }]))).toEqual([]));
});
