CREATE TABLE "account" (
	"id" text PRIMARY KEY NOT NULL,
	"account_id" text NOT NULL,
	"provider_id" text NOT NULL,
	"user_id" text NOT NULL,
	"access_token" text,
	"refresh_token" text,
	"id_token" text,
	"access_token_expires_at" timestamp with time zone,
	"refresh_token_expires_at" timestamp with time zone,
	"scope" text,
	"password" text,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"updated_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "apis" (
	"slug" text PRIMARY KEY NOT NULL,
	"name" text NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "backends" (
	"name" text PRIMARY KEY NOT NULL,
	"title" text NOT NULL,
	"contract" json,
	"addresses" jsonb DEFAULT '{}'::jsonb NOT NULL,
	"timeout_ms" integer,
	"lenient" boolean DEFAULT false NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"created_by" text NOT NULL
);
--> statement-breakpoint
CREATE TABLE "drafts" (
	"api" text NOT NULL,
	"revision" integer NOT NULL,
	"document" json NOT NULL,
	"note" text DEFAULT '' NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"created_by" text NOT NULL,
	CONSTRAINT "drafts_api_revision_pk" PRIMARY KEY("api","revision")
);
--> statement-breakpoint
CREATE TABLE "environments" (
	"name" text PRIMARY KEY NOT NULL,
	"title" text NOT NULL,
	"position" integer DEFAULT 0 NOT NULL,
	"variables" jsonb DEFAULT '{}'::jsonb NOT NULL
);
--> statement-breakpoint
CREATE TABLE "gateways" (
	"name" text PRIMARY KEY NOT NULL,
	"environment" text NOT NULL,
	"token_hash" text NOT NULL,
	"address" text NOT NULL,
	"wanted_revision" text,
	"applied_revision" text,
	"applied_at" timestamp with time zone,
	"refusal" text,
	"seen_at" timestamp with time zone,
	CONSTRAINT "gateways_token_hash_unique" UNIQUE("token_hash")
);
--> statement-breakpoint
CREATE TABLE "rate_limit" (
	"id" text PRIMARY KEY NOT NULL,
	"key" text NOT NULL,
	"count" integer NOT NULL,
	"last_request" double precision NOT NULL
);
--> statement-breakpoint
CREATE TABLE "releases" (
	"id" serial PRIMARY KEY NOT NULL,
	"api" text NOT NULL,
	"number" integer NOT NULL,
	"hash" text NOT NULL,
	"document" json NOT NULL,
	"draft_revision" integer NOT NULL,
	"notes" text DEFAULT '' NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"created_by" text NOT NULL
);
--> statement-breakpoint
CREATE TABLE "rollouts" (
	"id" serial PRIMARY KEY NOT NULL,
	"api" text NOT NULL,
	"environment" text NOT NULL,
	"release" integer NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"created_by" text NOT NULL
);
--> statement-breakpoint
CREATE TABLE "session" (
	"id" text PRIMARY KEY NOT NULL,
	"expires_at" timestamp with time zone NOT NULL,
	"token" text NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"updated_at" timestamp with time zone DEFAULT now() NOT NULL,
	"ip_address" text,
	"user_agent" text,
	"user_id" text NOT NULL,
	CONSTRAINT "session_token_unique" UNIQUE("token")
);
--> statement-breakpoint
CREATE TABLE "traces" (
	"id" text PRIMARY KEY NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"gateway" text NOT NULL,
	"api" text,
	"operation" text,
	"release" integer,
	"environment" text,
	"method" text NOT NULL,
	"url" text NOT NULL,
	"status" integer NOT NULL,
	"ms" double precision NOT NULL,
	"backend_ms" double precision NOT NULL,
	"body" json NOT NULL
);
--> statement-breakpoint
CREATE TABLE "user" (
	"id" text PRIMARY KEY NOT NULL,
	"name" text NOT NULL,
	"email" text NOT NULL,
	"email_verified" boolean DEFAULT false NOT NULL,
	"image" text,
	"role" text DEFAULT 'operator' NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"updated_at" timestamp with time zone DEFAULT now() NOT NULL,
	CONSTRAINT "user_email_unique" UNIQUE("email")
);
--> statement-breakpoint
CREATE TABLE "verification" (
	"id" text PRIMARY KEY NOT NULL,
	"identifier" text NOT NULL,
	"value" text NOT NULL,
	"expires_at" timestamp with time zone NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"updated_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
ALTER TABLE "account" ADD CONSTRAINT "account_user_id_user_id_fk" FOREIGN KEY ("user_id") REFERENCES "public"."user"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "drafts" ADD CONSTRAINT "drafts_api_apis_slug_fk" FOREIGN KEY ("api") REFERENCES "public"."apis"("slug") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "gateways" ADD CONSTRAINT "gateways_environment_environments_name_fk" FOREIGN KEY ("environment") REFERENCES "public"."environments"("name") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "releases" ADD CONSTRAINT "releases_api_apis_slug_fk" FOREIGN KEY ("api") REFERENCES "public"."apis"("slug") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "rollouts" ADD CONSTRAINT "rollouts_api_apis_slug_fk" FOREIGN KEY ("api") REFERENCES "public"."apis"("slug") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "rollouts" ADD CONSTRAINT "rollouts_environment_environments_name_fk" FOREIGN KEY ("environment") REFERENCES "public"."environments"("name") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "rollouts" ADD CONSTRAINT "rollouts_release_releases_id_fk" FOREIGN KEY ("release") REFERENCES "public"."releases"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "session" ADD CONSTRAINT "session_user_id_user_id_fk" FOREIGN KEY ("user_id") REFERENCES "public"."user"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE UNIQUE INDEX "releases_api_number" ON "releases" USING btree ("api","number");--> statement-breakpoint
CREATE INDEX "rollouts_environment" ON "rollouts" USING btree ("environment","api","id");--> statement-breakpoint
CREATE INDEX "traces_at" ON "traces" USING btree ("at");--> statement-breakpoint
CREATE INDEX "traces_api" ON "traces" USING btree ("api","at");