CREATE TABLE "loom"."kept" (
	"person" integer NOT NULL,
	"workspace" integer NOT NULL,
	"kind" text NOT NULL,
	"target" text NOT NULL,
	"favourite" boolean DEFAULT false NOT NULL,
	"visited_at" timestamp with time zone,
	CONSTRAINT "kept_person_workspace_kind_target_pk" PRIMARY KEY("person","workspace","kind","target")
);
--> statement-breakpoint
CREATE TABLE "loom"."views" (
	"id" text PRIMARY KEY NOT NULL,
	"workspace" integer NOT NULL,
	"table_id" text NOT NULL,
	"person" integer NOT NULL,
	"place" integer DEFAULT 0 NOT NULL,
	"view" jsonb NOT NULL
);
--> statement-breakpoint
ALTER TABLE "loom"."kept" ADD CONSTRAINT "kept_person_people_id_fk" FOREIGN KEY ("person") REFERENCES "loom"."people"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."kept" ADD CONSTRAINT "kept_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."views" ADD CONSTRAINT "views_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."views" ADD CONSTRAINT "views_person_people_id_fk" FOREIGN KEY ("person") REFERENCES "loom"."people"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "views_of_person" ON "loom"."views" USING btree ("workspace","person");