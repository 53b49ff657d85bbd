CREATE TABLE "loom"."attempts" (
	"key" text PRIMARY KEY NOT NULL,
	"points" integer DEFAULT 0 NOT NULL,
	"expire" bigint
);
--> statement-breakpoint
CREATE TABLE "loom"."devices" (
	"hash" "bytea" PRIMARY KEY NOT NULL,
	"person" integer NOT NULL,
	"used_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
ALTER TABLE "loom"."devices" ADD CONSTRAINT "devices_person_people_id_fk" FOREIGN KEY ("person") REFERENCES "loom"."people"("id") ON DELETE cascade ON UPDATE no action;