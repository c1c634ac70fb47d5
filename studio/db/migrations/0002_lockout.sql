CREATE TABLE "sign_in_failures" (
	"email" text PRIMARY KEY NOT NULL,
	"count" integer NOT NULL,
	"last_at" timestamp with time zone NOT NULL,
	"locked_until" timestamp with time zone
);
