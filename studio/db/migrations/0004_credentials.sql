CREATE TABLE "secrets" (
	"environment" text NOT NULL,
	"name" text NOT NULL,
	"sealed" text NOT NULL,
	"changed_at" timestamp with time zone DEFAULT now() NOT NULL,
	"changed_by" text NOT NULL,
	CONSTRAINT "secrets_environment_name_pk" PRIMARY KEY("environment","name")
);
--> statement-breakpoint
ALTER TABLE "backends" ADD COLUMN "credentials" json DEFAULT '[]'::json NOT NULL;--> statement-breakpoint
ALTER TABLE "secrets" ADD CONSTRAINT "secrets_environment_environments_name_fk" FOREIGN KEY ("environment") REFERENCES "public"."environments"("name") ON DELETE no action ON UPDATE no action;