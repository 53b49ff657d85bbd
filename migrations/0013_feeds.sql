CREATE TABLE "loom"."feed_waiting" (
	"workspace" integer NOT NULL,
	"table_id" text NOT NULL,
	"link_id" text NOT NULL,
	"source_id" bigint NOT NULL,
	"record_id" bigint NOT NULL,
	"values" jsonb NOT NULL,
	CONSTRAINT "feed_waiting_link_id_source_id_pk" PRIMARY KEY("link_id","source_id")
);
--> statement-breakpoint
ALTER TABLE "loom"."feed_waiting" ADD CONSTRAINT "feed_waiting_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;