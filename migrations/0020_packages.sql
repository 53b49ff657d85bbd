CREATE TABLE "loom"."package_loads" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"person" integer NOT NULL,
	"name" text NOT NULL,
	"state" text DEFAULT 'working' NOT NULL,
	"progress" jsonb,
	"said_at" timestamp with time zone DEFAULT now() NOT NULL,
	"cancel_asked" boolean DEFAULT false NOT NULL,
	"problem" text,
	"workspaces" text[] DEFAULT '{}' NOT NULL,
	"records" bigint DEFAULT 0 NOT NULL,
	"notes" text[] DEFAULT '{}' NOT NULL,
	"at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
ALTER TABLE "loom"."people" ADD COLUMN "language" text;--> statement-breakpoint
ALTER TABLE "loom"."package_loads" ADD CONSTRAINT "package_loads_person_people_id_fk" FOREIGN KEY ("person") REFERENCES "loom"."people"("id") ON DELETE cascade ON UPDATE no action;