CREATE TABLE "loom"."record_cycles" (
	"workspace" integer NOT NULL,
	"table_id" text NOT NULL,
	"field_id" text NOT NULL,
	"record_id" bigint NOT NULL,
	CONSTRAINT "record_cycles_field_id_record_id_pk" PRIMARY KEY("field_id","record_id")
);
--> statement-breakpoint
ALTER TABLE "loom"."record_cycles" ADD CONSTRAINT "record_cycles_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;