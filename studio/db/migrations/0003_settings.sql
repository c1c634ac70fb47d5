CREATE TABLE "settings" (
	"name" text PRIMARY KEY NOT NULL,
	"value" json NOT NULL,
	"changed_at" timestamp with time zone DEFAULT now() NOT NULL,
	"changed_by" text NOT NULL
);
