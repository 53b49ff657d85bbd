CREATE TABLE "loom"."mappings" (
	"workspace" integer NOT NULL,
	"shape" text NOT NULL,
	"remembered" jsonb NOT NULL,
	"at" timestamp with time zone DEFAULT now() NOT NULL,
	"person" integer NOT NULL,
	CONSTRAINT "mappings_workspace_shape_pk" PRIMARY KEY("workspace","shape")
);
--> statement-breakpoint
ALTER TABLE "loom"."set_aside" ADD COLUMN "settled_by" bigint;--> statement-breakpoint
ALTER TABLE "loom"."mappings" ADD CONSTRAINT "mappings_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."mappings" ADD CONSTRAINT "mappings_person_people_id_fk" FOREIGN KEY ("person") REFERENCES "loom"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "set_aside_of_field" ON "loom"."set_aside" USING btree ("workspace","table_id","field_id");--> statement-breakpoint
-- What was set aside and is open: not settled by a batch that stands, and neither filled nor deleted since.
CREATE VIEW loom.open_set_aside AS
  SELECT a.* FROM loom.set_aside a
  WHERE (a.settled_by IS NULL OR EXISTS (SELECT FROM loom.batches b WHERE b.id = a.settled_by AND b.undone_by IS NOT NULL))
    AND NOT EXISTS (
      SELECT FROM loom.history h JOIN loom.batches b ON b.id = h.batch
      WHERE h.table_id = a.table_id AND h.first_id = a.record_id AND h.last_id = a.record_id AND h.batch > a.batch AND b.undone_by IS NULL
        AND (h.kind = 'deleted' OR h.after ->> a.field_id IS NOT NULL));
