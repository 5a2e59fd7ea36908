import { IsInt, Max, Min } from 'class-validator';

/** From 2001 to 2286 milliseconds have 13 digits, so that no other unit is taken for them: of seconds a start would be over, of microseconds an end never come. */
const MOMENTS = { first: 1e12, last: 1e13 - 1 } as const;
const SAID = { message: 'Milliseconds since the epoch have 13 digits; seconds have 10, microseconds 16' };

/** A moment that somebody sets, milliseconds since the epoch. */
export function IsMoment(): PropertyDecorator {
  return (target, property) => {
    IsInt()(target, property);
    Min(MOMENTS.first, SAID)(target, property);
    Max(MOMENTS.last, SAID)(target, property);
  };
}
