CREATE TABLE "loom"."summaries" (
	"id" text PRIMARY KEY NOT NULL,
	"workspace" integer NOT NULL,
	"person" integer NOT NULL,
	"summary" jsonb NOT NULL
);
--> statement-breakpoint
ALTER TABLE "loom"."summaries" ADD CONSTRAINT "summaries_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."summaries" ADD CONSTRAINT "summaries_person_people_id_fk" FOREIGN KEY ("person") REFERENCES "loom"."people"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "summaries_of_person" ON "loom"."summaries" USING btree ("workspace","person");