import type { CheckMode, ModedCheck, ModeRule } from '@virga/core';
import { Type } from 'class-transformer';
import { IsIn } from 'class-validator';
import { MayBeLeftOut } from '../may-be-left-out.js';
import { Nested } from '../nested.js';

const MODES: CheckMode[] = ['observe', 'enforce'];

/** Checks that have a mode of their own; one that is left out has the mode of all. */
export class CheckModesDto implements Partial<Record<ModedCheck, CheckMode>> {
  @MayBeLeftOut() @IsIn(MODES) address?: CheckMode;
  @MayBeLeftOut() @IsIn(MODES) credential?: CheckMode;
  @MayBeLeftOut() @IsIn(MODES) token?: CheckMode;
  @MayBeLeftOut() @IsIn(MODES) key?: CheckMode;
  @MayBeLeftOut() @IsIn(MODES) basic?: CheckMode;
  @MayBeLeftOut() @IsIn(MODES) certificate?: CheckMode;
  @MayBeLeftOut() @IsIn(MODES) proof?: CheckMode;
  @MayBeLeftOut() @IsIn(MODES) claims?: CheckMode;
  @MayBeLeftOut() @IsIn(MODES) rights?: CheckMode;
  @MayBeLeftOut() @IsIn(MODES) condition?: CheckMode;
  @MayBeLeftOut() @IsIn(MODES) authorizer?: CheckMode;
  @MayBeLeftOut() @IsIn(MODES) plan?: CheckMode;
  @MayBeLeftOut() @IsIn(MODES) limit?: CheckMode;
  @MayBeLeftOut() @IsIn(MODES) type?: CheckMode;
  @MayBeLeftOut() @IsIn(MODES) size?: CheckMode;
  @MayBeLeftOut() @IsIn(MODES) answer?: CheckMode;
}

/** Which checks refuse and which only observe. */
export class ModesDto implements ModeRule {
  @IsIn(MODES) all: CheckMode;
  @Nested() @Type(() => CheckModesDto) checks: CheckModesDto;
}
