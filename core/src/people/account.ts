import * as v from 'valibot';
import { Label } from '../design';

/** Characters that a password has at least. */
export const LEAST_PASSWORD = 10;
const MOST_PASSWORD = 200;

/** A sign-in name, in small letters. */
export const Login = v.pipe(
  v.string(),
  v.trim(),
  v.toLowerCase(),
  v.regex(/^[\p{L}\p{N}._@+-]{2,60}$/u, 'A sign-in name has 2 to 60 letters, digits or . _ @ + -'),
);

/** What a person is called, as colleagues see it. */
export const PersonName = v.pipe(
  v.string(),
  v.trim(),
  v.minLength(1, 'Please give your name: colleagues see it beside your changes.'),
  Label,
);

export const Password = v.pipe(
  v.string(),
  v.minLength(LEAST_PASSWORD, `A password has at least ${LEAST_PASSWORD} characters.`),
  v.maxLength(MOST_PASSWORD, `A password has at most ${MOST_PASSWORD} characters.`),
);

/** What an account is made from. */
export const Account = v.object({ login: Login, name: PersonName, password: Password });
