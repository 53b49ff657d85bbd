CREATE TABLE "loom"."invitations" (
	"hash" "bytea" PRIMARY KEY NOT NULL,
	"person" integer NOT NULL,
	"ends_at" timestamp with time zone NOT NULL
);
--> statement-breakpoint
CREATE TABLE "loom"."outbox" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"at" timestamp with time zone DEFAULT now() NOT NULL,
	"recipient" text NOT NULL,
	"subject" text NOT NULL,
	"body" text NOT NULL,
	"person" integer
);
--> statement-breakpoint
ALTER TABLE "loom"."people" ADD COLUMN "manages" boolean DEFAULT false NOT NULL;--> statement-breakpoint
ALTER TABLE "loom"."invitations" ADD CONSTRAINT "invitations_person_people_id_fk" FOREIGN KEY ("person") REFERENCES "loom"."people"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."outbox" ADD CONSTRAINT "outbox_person_people_id_fk" FOREIGN KEY ("person") REFERENCES "loom"."people"("id") ON DELETE set null ON UPDATE no action;--> statement-breakpoint
-- Somebody has to manage the Directory: whoever was there first.
update loom.people set manages = true where id = (select min(id) from loom.people where password_hash is not null);
