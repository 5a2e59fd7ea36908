import { IsNotEmpty, IsString, Matches, MaxLength, MinLength } from 'class-validator';

/** What breaks a line, and what turns the direction of what stands behind it (Unicode UAX 9, explicit formatting). */
const ONE_LINE = /^[^\p{Cc}\p{Zl}\p{Zp}\u202a-\u202e\u2066-\u2069]*$/u;

/** Some text on one line, with something that can be seen in it. */
export const OneLine =
  (most: number, missing: string): PropertyDecorator =>
  (target, property) => {
    IsString()(target, property);
    IsNotEmpty({ message: missing })(target, property);
    Matches(/[^\p{White_Space}\p{Cf}]/u, { message: missing })(target, property);
    MaxLength(most, { message: `At most ${most} characters` })(target, property);
    Matches(ONE_LINE, { message: 'One line without control characters' })(target, property);
  };

/** A password that somebody chooses. Length is all that is asked (NIST SP 800-63B section 5.1.1.2). */
export const ChosenPassword = (): PropertyDecorator => (target, property) => {
  IsString()(target, property);
  MinLength(10, { message: 'A password has at least 10 characters' })(target, property);
  MaxLength(200)(target, property);
};
