import { IsInt, IsNotEmpty, IsString, MaxLength } from 'class-validator';

export class SignInInput {
  @IsString() @IsNotEmpty({ message: 'Give the name of the account' }) @MaxLength(100) name: string;
  @IsString() @IsNotEmpty({ message: 'Give the password' }) @MaxLength(200) password: string;
}

export class SessionView {
  @IsString() name: string;
  /** To be sent in the header X-CSRF-Token with every request that changes something. */
  @IsString() csrfToken: string;
  @IsInt() expiresAt: number;
}
