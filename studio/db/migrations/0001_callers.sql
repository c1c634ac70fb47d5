CREATE TABLE "caller_apps" (
	"id" text PRIMARY KEY NOT NULL,
	"name" text NOT NULL,
	"owner" text NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"created_by" text NOT NULL
);
--> statement-breakpoint
CREATE TABLE "credentials" (
	"id" serial PRIMARY KEY NOT NULL,
	"app" text NOT NULL,
	"environment" text NOT NULL,
	"kind" text NOT NULL,
	"hash" text NOT NULL,
	"hint" text NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"created_by" text NOT NULL,
	"until" timestamp with time zone,
	"revoked_at" timestamp with time zone,
	"revoked_by" text,
	CONSTRAINT "credentials_hash_unique" UNIQUE("hash")
);
--> statement-breakpoint
CREATE TABLE "revoked_tokens" (
	"jti" text PRIMARY KEY NOT NULL,
	"environment" text NOT NULL,
	"until" timestamp with time zone NOT NULL
);
--> statement-breakpoint
CREATE TABLE "subscriptions" (
	"id" serial PRIMARY KEY NOT NULL,
	"app" text NOT NULL,
	"api" text NOT NULL,
	"plan" text NOT NULL,
	"wanted_plan" text,
	"state" text NOT NULL,
	"reason" text DEFAULT '' NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL,
	"created_by" text NOT NULL,
	"decided_at" timestamp with time zone,
	"decided_by" text
);
--> statement-breakpoint
CREATE TABLE "token_keys" (
	"environment" text PRIMARY KEY NOT NULL,
	"kid" text NOT NULL,
	"sealed" text NOT NULL,
	"created_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
ALTER TABLE "gateways" ADD COLUMN "wanted_callers" text;--> statement-breakpoint
ALTER TABLE "gateways" ADD COLUMN "applied_callers" text;--> statement-breakpoint
ALTER TABLE "traces" ADD COLUMN "app" text;--> statement-breakpoint
ALTER TABLE "credentials" ADD CONSTRAINT "credentials_app_caller_apps_id_fk" FOREIGN KEY ("app") REFERENCES "public"."caller_apps"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "credentials" ADD CONSTRAINT "credentials_environment_environments_name_fk" FOREIGN KEY ("environment") REFERENCES "public"."environments"("name") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "subscriptions" ADD CONSTRAINT "subscriptions_app_caller_apps_id_fk" FOREIGN KEY ("app") REFERENCES "public"."caller_apps"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "subscriptions" ADD CONSTRAINT "subscriptions_api_apis_slug_fk" FOREIGN KEY ("api") REFERENCES "public"."apis"("slug") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "token_keys" ADD CONSTRAINT "token_keys_environment_environments_name_fk" FOREIGN KEY ("environment") REFERENCES "public"."environments"("name") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "credentials_app" ON "credentials" USING btree ("app");--> statement-breakpoint
CREATE UNIQUE INDEX "subscriptions_app_api" ON "subscriptions" USING btree ("app","api");--> statement-breakpoint
CREATE INDEX "traces_app" ON "traces" USING btree ("app","at");