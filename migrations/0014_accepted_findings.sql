CREATE TABLE "loom"."accepted_findings" (
	"id" serial PRIMARY KEY NOT NULL,
	"workspace" integer NOT NULL,
	"table_id" text NOT NULL,
	"finding" text NOT NULL,
	"words" text NOT NULL,
	"condition" jsonb,
	"records" bigint[],
	"reason" text NOT NULL,
	"person" integer NOT NULL,
	"at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
ALTER TABLE "loom"."accepted_findings" ADD CONSTRAINT "accepted_findings_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."accepted_findings" ADD CONSTRAINT "accepted_findings_person_people_id_fk" FOREIGN KEY ("person") REFERENCES "loom"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "accepted_findings_of_table" ON "loom"."accepted_findings" USING btree ("workspace","table_id");