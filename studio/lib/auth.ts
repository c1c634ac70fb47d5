import { betterAuth } from 'better-auth';
import { drizzleAdapter } from 'better-auth/adapters/drizzle';
import { database, schema } from '../db/client';
import { afterSignIn, beforeSignIn } from './lockout';

export type Role = 'designer' | 'operator' | 'auditor' | 'caller';
export const EVERYBODY: readonly Role[] = ['designer', 'operator', 'auditor', 'caller'];
/** Who may look at everything. */
export const READERS: readonly Role[] = ['designer', 'operator', 'auditor'];

function make() {
  return betterAuth({
    database: drizzleAdapter(database(), { provider: 'pg', schema }),
    secret: process.env.HINGE_SECRET,
    baseURL: process.env.HINGE_STUDIO_URL,
    emailAndPassword: { enabled: true, disableSignUp: true, minPasswordLength: 8 },
    user: { additionalFields: { role: { type: 'string', required: true, input: false, defaultValue: 'operator' } } },
    session: { expiresIn: 60 * 60 * 24 * 7, cookieCache: { enabled: false } },
    // Guessing is slowed down: ten tries a minute for an address.
    rateLimit: {
      enabled: true,
      storage: 'database',
      window: 60,
      max: 300,
      customRules: { '/sign-in/email': { window: 60, max: 10 } },
    },
    // An account is closed for a while besides, from wherever it is guessed.
    hooks: { before: beforeSignIn, after: afterSignIn },
    advanced: { cookiePrefix: 'hinge', useSecureCookies: process.env.HINGE_STUDIO_URL?.startsWith('https:') ?? false },
    telemetry: { enabled: false },
  });
}

const held = globalThis as { hingeAuth?: ReturnType<typeof make> };

export const auth = () => (held.hingeAuth ??= make());
