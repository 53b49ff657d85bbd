CREATE TABLE "loom"."mail_stand_in" (
	"one" boolean PRIMARY KEY DEFAULT true NOT NULL,
	"refuses" boolean DEFAULT false NOT NULL
);
--> statement-breakpoint
CREATE TABLE "loom"."outgoing" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"workspace" integer NOT NULL,
	"routine" text NOT NULL,
	"batch" bigint,
	"table_id" text NOT NULL,
	"record" bigint NOT NULL,
	"person" integer,
	"at" timestamp with time zone DEFAULT now() NOT NULL,
	"what" jsonb NOT NULL,
	"state" text DEFAULT 'waiting' NOT NULL,
	"tries" integer DEFAULT 0 NOT NULL,
	"answer" text,
	"sent_at" timestamp with time zone
);
--> statement-breakpoint
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
ALTER TABLE "loom"."outbox" ADD COLUMN "mail" text;--> statement-breakpoint
ALTER TABLE "loom"."outbox" ADD COLUMN "sent_for" text;--> statement-breakpoint
ALTER TABLE "loom"."outgoing" ADD CONSTRAINT "outgoing_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."outgoing" ADD CONSTRAINT "outgoing_person_people_id_fk" FOREIGN KEY ("person") REFERENCES "loom"."people"("id") ON DELETE set null ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."routine_runs" ADD CONSTRAINT "routine_runs_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."routine_runs" ADD CONSTRAINT "routine_runs_batch_batches_id_fk" FOREIGN KEY ("batch") REFERENCES "loom"."batches"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."routine_runs" ADD CONSTRAINT "routine_runs_person_people_id_fk" FOREIGN KEY ("person") REFERENCES "loom"."people"("id") ON DELETE set null ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."routine_tries" ADD CONSTRAINT "routine_tries_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."routine_truth" ADD CONSTRAINT "routine_truth_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."routines" ADD CONSTRAINT "routines_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."routines" ADD CONSTRAINT "routines_keeper_people_id_fk" FOREIGN KEY ("keeper") REFERENCES "loom"."people"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "outgoing_of" ON "loom"."outgoing" USING btree ("workspace","id");--> statement-breakpoint
CREATE INDEX "routine_runs_of" ON "loom"."routine_runs" USING btree ("routine","id");--> statement-breakpoint
CREATE INDEX "routine_runs_of_workspace" ON "loom"."routine_runs" USING btree ("workspace","id");--> statement-breakpoint
CREATE INDEX "routine_runs_of_batch" ON "loom"."routine_runs" USING btree ("batch");--> statement-breakpoint
ALTER TABLE "loom"."outbox" ADD CONSTRAINT "outbox_sent_for_unique" UNIQUE("sent_for");