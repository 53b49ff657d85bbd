CREATE SCHEMA IF NOT EXISTS "loom";
--> statement-breakpoint
CREATE TABLE "loom"."batches" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"workspace" integer NOT NULL,
	"person" integer NOT NULL,
	"at" timestamp with time zone DEFAULT now() NOT NULL,
	"kind" text NOT NULL,
	"title" text NOT NULL,
	"changes" jsonb,
	"inverse" jsonb,
	"undone_by" bigint
);
--> statement-breakpoint
CREATE TABLE "loom"."history" (
	"batch" bigint NOT NULL,
	"table_id" text NOT NULL,
	"first_id" bigint NOT NULL,
	"last_id" bigint NOT NULL,
	"kind" text NOT NULL,
	"before" jsonb,
	"after" jsonb
);
--> statement-breakpoint
CREATE TABLE "loom"."idempotency" (
	"person" integer NOT NULL,
	"key" text NOT NULL,
	"call" text NOT NULL,
	"answer" jsonb,
	"at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "loom"."intakes" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"workspace" integer NOT NULL,
	"person" integer NOT NULL,
	"made_at" timestamp with time zone DEFAULT now() NOT NULL,
	"state" text NOT NULL,
	"problem" text,
	"progress" jsonb,
	"cancel_asked" integer DEFAULT 0 NOT NULL,
	"sheets" jsonb DEFAULT '[]'::jsonb NOT NULL,
	"proposal" jsonb,
	"receipt" jsonb,
	"batch" bigint
);
--> statement-breakpoint
CREATE TABLE "loom"."members" (
	"workspace" integer NOT NULL,
	"person" integer NOT NULL,
	"role" text NOT NULL,
	CONSTRAINT "members_workspace_person_pk" PRIMARY KEY("workspace","person")
);
--> statement-breakpoint
CREATE TABLE "loom"."people" (
	"id" serial PRIMARY KEY NOT NULL,
	"email" text NOT NULL,
	"name" text NOT NULL,
	"password_hash" text NOT NULL,
	CONSTRAINT "people_email_unique" UNIQUE("email")
);
--> statement-breakpoint
CREATE TABLE "loom"."plans" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"workspace" integer NOT NULL,
	"person" integer NOT NULL,
	"made_at" timestamp with time zone DEFAULT now() NOT NULL,
	"version" integer NOT NULL,
	"changes" jsonb NOT NULL,
	"effects" jsonb NOT NULL,
	"applied_as" bigint
);
--> statement-breakpoint
CREATE TABLE "loom"."sessions" (
	"hash" "bytea" PRIMARY KEY NOT NULL,
	"person" integer NOT NULL,
	"expires_at" timestamp with time zone NOT NULL
);
--> statement-breakpoint
CREATE TABLE "loom"."set_aside" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"workspace" integer NOT NULL,
	"batch" bigint NOT NULL,
	"table_id" text NOT NULL,
	"record_id" bigint NOT NULL,
	"field_id" text NOT NULL,
	"text" text NOT NULL,
	"reason" text NOT NULL
);
--> statement-breakpoint
CREATE TABLE "loom"."tokens" (
	"hash" "bytea" PRIMARY KEY NOT NULL,
	"person" integer NOT NULL,
	"label" text NOT NULL,
	"made_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "loom"."workspaces" (
	"id" serial PRIMARY KEY NOT NULL,
	"key" text NOT NULL,
	"label" text NOT NULL,
	"description" text DEFAULT '' NOT NULL,
	"zone" text DEFAULT 'UTC' NOT NULL,
	"day" date NOT NULL,
	"model" jsonb NOT NULL,
	"version" integer DEFAULT 1 NOT NULL,
	CONSTRAINT "workspaces_key_unique" UNIQUE("key")
);
--> statement-breakpoint
ALTER TABLE "loom"."batches" ADD CONSTRAINT "batches_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."batches" ADD CONSTRAINT "batches_person_people_id_fk" FOREIGN KEY ("person") REFERENCES "loom"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."history" ADD CONSTRAINT "history_batch_batches_id_fk" FOREIGN KEY ("batch") REFERENCES "loom"."batches"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."idempotency" ADD CONSTRAINT "idempotency_person_people_id_fk" FOREIGN KEY ("person") REFERENCES "loom"."people"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."intakes" ADD CONSTRAINT "intakes_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."intakes" ADD CONSTRAINT "intakes_person_people_id_fk" FOREIGN KEY ("person") REFERENCES "loom"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."members" ADD CONSTRAINT "members_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."members" ADD CONSTRAINT "members_person_people_id_fk" FOREIGN KEY ("person") REFERENCES "loom"."people"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."plans" ADD CONSTRAINT "plans_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."plans" ADD CONSTRAINT "plans_person_people_id_fk" FOREIGN KEY ("person") REFERENCES "loom"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."sessions" ADD CONSTRAINT "sessions_person_people_id_fk" FOREIGN KEY ("person") REFERENCES "loom"."people"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."set_aside" ADD CONSTRAINT "set_aside_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."set_aside" ADD CONSTRAINT "set_aside_batch_batches_id_fk" FOREIGN KEY ("batch") REFERENCES "loom"."batches"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."tokens" ADD CONSTRAINT "tokens_person_people_id_fk" FOREIGN KEY ("person") REFERENCES "loom"."people"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "batches_of_workspace" ON "loom"."batches" USING btree ("workspace","id");--> statement-breakpoint
CREATE INDEX "history_of_batch" ON "loom"."history" USING btree ("batch");--> statement-breakpoint
CREATE INDEX "history_of_record" ON "loom"."history" USING btree ("table_id","first_id","last_id");--> statement-breakpoint
CREATE UNIQUE INDEX "idempotency_once" ON "loom"."idempotency" USING btree ("person","key");--> statement-breakpoint
CREATE INDEX "intakes_of_workspace" ON "loom"."intakes" USING btree ("workspace","id");--> statement-breakpoint
CREATE INDEX "members_of_person" ON "loom"."members" USING btree ("person");--> statement-breakpoint
CREATE INDEX "set_aside_of_record" ON "loom"."set_aside" USING btree ("table_id","record_id");