CREATE TABLE "loom"."routine_runs" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"workspace" integer NOT NULL,
	"routine" text NOT NULL,
	"table_id" text NOT NULL,
	"batch" bigint,
	"at" timestamp with time zone DEFAULT now() NOT NULL,
	"person" integer,
	"chain" text[] NOT NULL,
	"records" integer NOT NULL,
	"first" bigint[] NOT NULL,
	"took" double precision NOT NULL,
	"problem" text,
	"steps" jsonb NOT NULL
);
--> statement-breakpoint
CREATE TABLE "loom"."routine_tries" (
	"workspace" integer NOT NULL,
	"routine" text NOT NULL,
	"hash" text NOT NULL,
	"at" timestamp with time zone DEFAULT now() NOT NULL,
	CONSTRAINT "routine_tries_routine_hash_pk" PRIMARY KEY("routine","hash")
);
--> statement-breakpoint
CREATE TABLE "loom"."routine_truth" (
	"workspace" integer NOT NULL,
	"routine" text NOT NULL,
	"record" bigint NOT NULL,
	CONSTRAINT "routine_truth_routine_record_pk" PRIMARY KEY("routine","record")
);
--> statement-breakpoint
CREATE TABLE "loom"."routines" (
	"id" text PRIMARY KEY NOT NULL,
	"workspace" integer NOT NULL,
	"keeper" integer NOT NULL,
	"failures" integer DEFAULT 0 NOT NULL,
	"paused_at" timestamp with time zone,
	"problem" text,
	"done_through" date
);
--> statement-breakpoint
ALTER TABLE "loom"."history" ADD COLUMN "routine" text;--> statement-breakpoint
ALTER TABLE "loom"."routine_runs" ADD CONSTRAINT "routine_runs_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."routine_runs" ADD CONSTRAINT "routine_runs_batch_batches_id_fk" FOREIGN KEY ("batch") REFERENCES "loom"."batches"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."routine_runs" ADD CONSTRAINT "routine_runs_person_people_id_fk" FOREIGN KEY ("person") REFERENCES "loom"."people"("id") ON DELETE set null ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."routine_tries" ADD CONSTRAINT "routine_tries_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."routine_truth" ADD CONSTRAINT "routine_truth_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."routines" ADD CONSTRAINT "routines_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."routines" ADD CONSTRAINT "routines_keeper_people_id_fk" FOREIGN KEY ("keeper") REFERENCES "loom"."people"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "routine_runs_of" ON "loom"."routine_runs" USING btree ("routine","id");--> statement-breakpoint
CREATE INDEX "routine_runs_of_workspace" ON "loom"."routine_runs" USING btree ("workspace","id");--> statement-breakpoint
CREATE INDEX "routine_runs_of_batch" ON "loom"."routine_runs" USING btree ("batch");