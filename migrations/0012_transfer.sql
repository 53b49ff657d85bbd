CREATE TABLE "loom"."moved" (
	"batch" bigint NOT NULL,
	"from_workspace" integer NOT NULL,
	"from_table" text NOT NULL,
	"first_id" bigint NOT NULL,
	"last_id" bigint NOT NULL,
	"to_workspace" integer NOT NULL,
	"to_table" text NOT NULL,
	"to_id" bigint NOT NULL
);
--> statement-breakpoint
CREATE TABLE "loom"."never_same" (
	"workspace" integer NOT NULL,
	"table_id" text NOT NULL,
	"one" bigint NOT NULL,
	"other" bigint NOT NULL,
	"person" integer NOT NULL,
	"at" timestamp with time zone DEFAULT now() NOT NULL,
	CONSTRAINT "never_same_table_id_one_other_pk" PRIMARY KEY("table_id","one","other")
);
--> statement-breakpoint
CREATE TABLE "loom"."transfers" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"workspace" integer NOT NULL,
	"person" integer NOT NULL,
	"made_at" timestamp with time zone DEFAULT now() NOT NULL,
	"transfer" jsonb NOT NULL,
	"epoch" text NOT NULL,
	"plan" jsonb NOT NULL,
	"tried" jsonb,
	"receipt" jsonb,
	"batch" bigint
);
--> statement-breakpoint
ALTER TABLE "loom"."history" ADD COLUMN "step" smallint DEFAULT 0 NOT NULL;--> statement-breakpoint
ALTER TABLE "loom"."moved" ADD CONSTRAINT "moved_batch_batches_id_fk" FOREIGN KEY ("batch") REFERENCES "loom"."batches"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."never_same" ADD CONSTRAINT "never_same_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."never_same" ADD CONSTRAINT "never_same_person_people_id_fk" FOREIGN KEY ("person") REFERENCES "loom"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."transfers" ADD CONSTRAINT "transfers_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."transfers" ADD CONSTRAINT "transfers_person_people_id_fk" FOREIGN KEY ("person") REFERENCES "loom"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "moved_from" ON "loom"."moved" USING btree ("from_table","first_id","last_id");--> statement-breakpoint
CREATE INDEX "moved_to" ON "loom"."moved" USING btree ("to_table","to_id");--> statement-breakpoint
CREATE INDEX "moved_by" ON "loom"."moved" USING btree ("batch");--> statement-breakpoint
CREATE INDEX "transfers_of_workspace" ON "loom"."transfers" USING btree ("workspace","id");--> statement-breakpoint
CREATE INDEX "transfers_by_batch" ON "loom"."transfers" USING btree ("batch");
