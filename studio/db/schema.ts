import type { ContractFiles, CredentialDocument, FlowDocument, SubscriptionState } from '@hinge/core';
import {
  boolean,
  doublePrecision,
  index,
  integer,
  json,
  jsonb,
  pgTable,
  primaryKey,
  serial,
  text,
  timestamp,
  uniqueIndex,
} from 'drizzle-orm/pg-core';

const created = timestamp('created_at', { withTimezone: true }).notNull().defaultNow();

/* Sign-in: the tables that better-auth asks for. */
export const user = pgTable('user', {
  id: text('id').primaryKey(),
  name: text('name').notNull(),
  email: text('email').notNull().unique(),
  emailVerified: boolean('email_verified').notNull().default(false),
  image: text('image'),
  role: text('role').notNull().default('operator'),
  createdAt: created,
  updatedAt: timestamp('updated_at', { withTimezone: true }).notNull().defaultNow(),
});

export const session = pgTable('session', {
  id: text('id').primaryKey(),
  expiresAt: timestamp('expires_at', { withTimezone: true }).notNull(),
  token: text('token').notNull().unique(),
  createdAt: created,
  updatedAt: timestamp('updated_at', { withTimezone: true }).notNull().defaultNow(),
  ipAddress: text('ip_address'),
  userAgent: text('user_agent'),
  userId: text('user_id')
    .notNull()
    .references(() => user.id, { onDelete: 'cascade' }),
});

export const account = pgTable('account', {
  id: text('id').primaryKey(),
  accountId: text('account_id').notNull(),
  providerId: text('provider_id').notNull(),
  userId: text('user_id')
    .notNull()
    .references(() => user.id, { onDelete: 'cascade' }),
  accessToken: text('access_token'),
  refreshToken: text('refresh_token'),
  idToken: text('id_token'),
  accessTokenExpiresAt: timestamp('access_token_expires_at', { withTimezone: true }),
  refreshTokenExpiresAt: timestamp('refresh_token_expires_at', { withTimezone: true }),
  scope: text('scope'),
  password: text('password'),
  createdAt: created,
  updatedAt: timestamp('updated_at', { withTimezone: true }).notNull().defaultNow(),
});

export const verification = pgTable('verification', {
  id: text('id').primaryKey(),
  identifier: text('identifier').notNull(),
  value: text('value').notNull(),
  expiresAt: timestamp('expires_at', { withTimezone: true }).notNull(),
  createdAt: created,
  updatedAt: timestamp('updated_at', { withTimezone: true }).notNull().defaultNow(),
});

export const rateLimit = pgTable('rate_limit', {
  id: text('id').primaryKey(),
  key: text('key').notNull(),
  count: integer('count').notNull(),
  lastRequest: doublePrecision('last_request').notNull(),
});

/** Wrong passwords for an address, whether or not it is somebody's. */
export const signInFailures = pgTable('sign_in_failures', {
  email: text('email').primaryKey(),
  count: integer('count').notNull(),
  lastAt: timestamp('last_at', { withTimezone: true }).notNull(),
  lockedUntil: timestamp('locked_until', { withTimezone: true }),
});

/* The workshop. `json` and not `jsonb` where the order of members must come back as it went in. */
export const environments = pgTable('environments', {
  name: text('name').primaryKey(),
  title: text('title').notNull(),
  position: integer('position').notNull().default(0),
  variables: jsonb('variables').$type<Record<string, unknown>>().notNull().default({}),
});

/** What holds for the whole workspace, by name: "guards". */
export const settings = pgTable('settings', {
  name: text('name').primaryKey(),
  value: json('value').$type<unknown>().notNull(),
  changedAt: timestamp('changed_at', { withTimezone: true }).notNull().defaultNow(),
  changedBy: text('changed_by').notNull(),
});

export const backends = pgTable('backends', {
  name: text('name').primaryKey(),
  title: text('title').notNull(),
  contract: json('contract').$type<ContractFiles & { kind: 'wsdl' | 'openapi' | 'graphql'; port?: string }>(),
  addresses: jsonb('addresses').$type<Record<string, string>>().notNull().default({}),
  timeoutMs: integer('timeout_ms'),
  lenient: boolean('lenient').notNull().default(false),
  credentials: json('credentials').$type<CredentialDocument[]>().notNull().default([]),
  createdAt: created,
  createdBy: text('created_by').notNull(),
});

export const apis = pgTable('apis', {
  slug: text('slug').primaryKey(),
  name: text('name').notNull(),
  createdAt: created,
});

/** Every saved state of a draft. The document stands without contract texts; they are put in from `backends`. */
export const drafts = pgTable(
  'drafts',
  {
    api: text('api')
      .notNull()
      .references(() => apis.slug, { onDelete: 'cascade' }),
    revision: integer('revision').notNull(),
    document: json('document').$type<FlowDocument>().notNull(),
    note: text('note').notNull().default(''),
    createdAt: created,
    createdBy: text('created_by').notNull(),
  },
  (t) => [primaryKey({ columns: [t.api, t.revision] })],
);

/** Immutable: the whole document, contracts included, under a number and a hash. */
export const releases = pgTable(
  'releases',
  {
    id: serial('id').primaryKey(),
    api: text('api')
      .notNull()
      .references(() => apis.slug, { onDelete: 'cascade' }),
    number: integer('number').notNull(),
    hash: text('hash').notNull(),
    document: json('document').$type<FlowDocument>().notNull(),
    draftRevision: integer('draft_revision').notNull(),
    notes: text('notes').notNull().default(''),
    createdAt: created,
    createdBy: text('created_by').notNull(),
  },
  (t) => [uniqueIndex('releases_api_number').on(t.api, t.number)],
);

/** Which release of an API runs in an environment; the newest row counts. */
export const rollouts = pgTable(
  'rollouts',
  {
    id: serial('id').primaryKey(),
    api: text('api')
      .notNull()
      .references(() => apis.slug, { onDelete: 'cascade' }),
    environment: text('environment')
      .notNull()
      .references(() => environments.name),
    release: integer('release')
      .notNull()
      .references(() => releases.id, { onDelete: 'cascade' }),
    createdAt: created,
    createdBy: text('created_by').notNull(),
  },
  (t) => [index('rollouts_environment').on(t.environment, t.api, t.id)],
);

export const gateways = pgTable('gateways', {
  name: text('name').primaryKey(),
  environment: text('environment')
    .notNull()
    .references(() => environments.name),
  /** SHA-256 of the token, hexadecimal. */
  tokenHash: text('token_hash').notNull().unique(),
  address: text('address').notNull(),
  wantedRevision: text('wanted_revision'),
  appliedRevision: text('applied_revision'),
  appliedAt: timestamp('applied_at', { withTimezone: true }),
  wantedCallers: text('wanted_callers'),
  appliedCallers: text('applied_callers'),
  refusal: text('refusal'),
  seenAt: timestamp('seen_at', { withTimezone: true }),
});

/* Callers: who calls, with what, on which plan. Plans stand in the documents of APIs and are released with them. */
export const callerApps = pgTable('caller_apps', {
  id: text('id').primaryKey(),
  name: text('name').notNull(),
  /** E-mail address of whoever answers for it. */
  owner: text('owner').notNull(),
  createdAt: created,
  createdBy: text('created_by').notNull(),
});

export const subscriptions = pgTable(
  'subscriptions',
  {
    id: serial('id').primaryKey(),
    app: text('app')
      .notNull()
      .references(() => callerApps.id, { onDelete: 'cascade' }),
    api: text('api')
      .notNull()
      .references(() => apis.slug, { onDelete: 'cascade' }),
    plan: text('plan').notNull(),
    /** Another plan that waits for approval; until then the subscription stays as it is. */
    wantedPlan: text('wanted_plan'),
    state: text('state').$type<SubscriptionState>().notNull(),
    /** Why it was refused or paused. */
    reason: text('reason').notNull().default(''),
    createdAt: created,
    createdBy: text('created_by').notNull(),
    decidedAt: timestamp('decided_at', { withTimezone: true }),
    decidedBy: text('decided_by'),
  },
  (t) => [uniqueIndex('subscriptions_app_api').on(t.app, t.api)],
);

export const credentials = pgTable(
  'credentials',
  {
    id: serial('id').primaryKey(),
    app: text('app')
      .notNull()
      .references(() => callerApps.id, { onDelete: 'cascade' }),
    environment: text('environment')
      .notNull()
      .references(() => environments.name),
    kind: text('kind').$type<'key' | 'secret'>().notNull(),
    /** SHA-256, hexadecimal; the credential itself is kept nowhere. */
    hash: text('hash').notNull().unique(),
    /** Its last letters, to tell one from another. */
    hint: text('hint').notNull(),
    createdAt: created,
    createdBy: text('created_by').notNull(),
    /** Set when another takes its place: until then both are live. */
    until: timestamp('until', { withTimezone: true }),
    revokedAt: timestamp('revoked_at', { withTimezone: true }),
    revokedBy: text('revoked_by'),
  },
  (t) => [index('credentials_app').on(t.app)],
);

/** Secrets of an environment by name, encrypted (JWE) with the studio's secret: nobody reads them here again. */
export const secrets = pgTable(
  'secrets',
  {
    environment: text('environment')
      .notNull()
      .references(() => environments.name),
    name: text('name').notNull(),
    sealed: text('sealed').notNull(),
    changedAt: timestamp('changed_at', { withTimezone: true }).notNull().defaultNow(),
    changedBy: text('changed_by').notNull(),
  },
  (t) => [primaryKey({ columns: [t.environment, t.name] })],
);

/** What signs tokens of an environment: a private JWK, encrypted (JWE) with the studio's secret. */
export const tokenKeys = pgTable('token_keys', {
  environment: text('environment')
    .primaryKey()
    .references(() => environments.name),
  kid: text('kid').notNull(),
  sealed: text('sealed').notNull(),
  createdAt: created,
});

export const revokedTokens = pgTable('revoked_tokens', {
  jti: text('jti').primaryKey(),
  environment: text('environment').notNull(),
  until: timestamp('until', { withTimezone: true }).notNull(),
});

export const traces = pgTable(
  'traces',
  {
    id: text('id').primaryKey(),
    at: timestamp('at', { withTimezone: true }).notNull(),
    gateway: text('gateway').notNull(),
    api: text('api'),
    operation: text('operation'),
    release: integer('release'),
    environment: text('environment'),
    app: text('app'),
    method: text('method').notNull(),
    url: text('url').notNull(),
    status: integer('status').notNull(),
    ms: doublePrecision('ms').notNull(),
    backendMs: doublePrecision('backend_ms').notNull(),
    body: json('body').$type<unknown>().notNull(),
  },
  (t) => [index('traces_at').on(t.at), index('traces_api').on(t.api, t.at), index('traces_app').on(t.app, t.at)],
);
