CREATE SCHEMA IF NOT EXISTS "loom";
--> statement-breakpoint
CREATE TABLE "loom"."accepted_findings" (
	"id" bigserial PRIMARY KEY NOT NULL,
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
CREATE TABLE "loom"."attempts" (
	"key" text PRIMARY KEY NOT NULL,
	"points" integer DEFAULT 0 NOT NULL,
	"expire" bigint
);
--> statement-breakpoint
CREATE TABLE "loom"."batches" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"workspace" integer NOT NULL,
	"person" integer,
	"at" timestamp with time zone DEFAULT now() NOT NULL,
	"kind" text NOT NULL,
	"title" text NOT NULL,
	"changes" jsonb,
	"inverse" jsonb,
	"version" integer,
	"undone_by" bigint,
	"call" text
);
--> statement-breakpoint
CREATE TABLE "loom"."devices" (
	"hash" "bytea" PRIMARY KEY NOT NULL,
	"person" integer NOT NULL,
	"used_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
CREATE TABLE "loom"."files" (
	"workspace" integer NOT NULL,
	"hash" text NOT NULL,
	"size" bigint NOT NULL,
	"type" text NOT NULL,
	"sent_at" timestamp with time zone DEFAULT now() NOT NULL,
	"sent_by" integer,
	CONSTRAINT "files_workspace_hash_pk" PRIMARY KEY("workspace","hash")
);
--> statement-breakpoint
CREATE TABLE "loom"."form_addresses" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"workspace" integer NOT NULL,
	"table_id" text NOT NULL,
	"form_id" text NOT NULL,
	"secret" text NOT NULL,
	"label" text NOT NULL,
	"made_at" timestamp with time zone DEFAULT now() NOT NULL,
	"made_by" integer NOT NULL,
	"expires_at" timestamp with time zone,
	"most" integer,
	"most_hourly" integer NOT NULL,
	"closed" boolean DEFAULT false NOT NULL,
	"entries" integer DEFAULT 0 NOT NULL,
	CONSTRAINT "form_addresses_secret_unique" UNIQUE("secret")
);
--> statement-breakpoint
CREATE TABLE "loom"."form_entries" (
	"address" bigint NOT NULL,
	"key" text NOT NULL,
	"place" text NOT NULL,
	"at" timestamp with time zone DEFAULT now() NOT NULL,
	CONSTRAINT "form_entries_address_key_pk" PRIMARY KEY("address","key")
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
	"body" text DEFAULT '' NOT NULL,
	"process" text DEFAULT '' NOT NULL,
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
	"files" jsonb DEFAULT '[]'::jsonb NOT NULL,
	"preview" jsonb,
	"sheets" jsonb DEFAULT '[]'::jsonb NOT NULL,
	"proposal" jsonb,
	"receipt" jsonb,
	"batch" bigint
);
--> statement-breakpoint
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
CREATE TABLE "loom"."mappings" (
	"workspace" integer NOT NULL,
	"shape" text NOT NULL,
	"remembered" jsonb NOT NULL,
	"at" timestamp with time zone DEFAULT now() NOT NULL,
	"person" integer NOT NULL,
	CONSTRAINT "mappings_workspace_shape_pk" PRIMARY KEY("workspace","shape")
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
	"post" text DEFAULT '' NOT NULL,
	"password_hash" text,
	CONSTRAINT "people_email_unique" UNIQUE("email")
);
--> statement-breakpoint
CREATE TABLE "loom"."plans" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"workspace" integer NOT NULL,
	"person" integer NOT NULL,
	"made_at" timestamp with time zone DEFAULT now() NOT NULL,
	"version" integer NOT NULL,
	"epoch" text DEFAULT '' NOT NULL,
	"changes" jsonb NOT NULL,
	"effects" jsonb NOT NULL,
	"applied_as" bigint
);
--> statement-breakpoint
CREATE TABLE "loom"."record_cycles" (
	"workspace" integer NOT NULL,
	"table_id" text NOT NULL,
	"field_id" text NOT NULL,
	"record_id" bigint NOT NULL,
	CONSTRAINT "record_cycles_field_id_record_id_pk" PRIMARY KEY("field_id","record_id")
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
	"reason" text NOT NULL,
	"settled_by" bigint
);
--> statement-breakpoint
CREATE TABLE "loom"."tokens" (
	"hash" "bytea" PRIMARY KEY NOT NULL,
	"person" integer NOT NULL,
	"label" text NOT NULL,
	"made_at" timestamp with time zone DEFAULT now() NOT NULL
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
CREATE TABLE "loom"."workspaces" (
	"id" serial PRIMARY KEY NOT NULL,
	"key" text NOT NULL,
	"label" text NOT NULL,
	"description" text DEFAULT '' NOT NULL,
	"zone" text DEFAULT 'UTC' NOT NULL,
	"day" date NOT NULL,
	"model" jsonb NOT NULL,
	"version" integer DEFAULT 1 NOT NULL,
	"peers" integer[] DEFAULT '{}' NOT NULL,
	"archived_at" timestamp with time zone,
	"deleted_at" timestamp with time zone,
	"dye" text DEFAULT 'woad' NOT NULL,
	"icon" text,
	"weave" jsonb DEFAULT '{}'::jsonb NOT NULL,
	CONSTRAINT "workspaces_key_unique" UNIQUE("key")
);
--> statement-breakpoint
ALTER TABLE "loom"."accepted_findings" ADD CONSTRAINT "accepted_findings_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."accepted_findings" ADD CONSTRAINT "accepted_findings_person_people_id_fk" FOREIGN KEY ("person") REFERENCES "loom"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."batches" ADD CONSTRAINT "batches_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."batches" ADD CONSTRAINT "batches_person_people_id_fk" FOREIGN KEY ("person") REFERENCES "loom"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."devices" ADD CONSTRAINT "devices_person_people_id_fk" FOREIGN KEY ("person") REFERENCES "loom"."people"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."files" ADD CONSTRAINT "files_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."files" ADD CONSTRAINT "files_sent_by_people_id_fk" FOREIGN KEY ("sent_by") REFERENCES "loom"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."form_addresses" ADD CONSTRAINT "form_addresses_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."form_addresses" ADD CONSTRAINT "form_addresses_made_by_people_id_fk" FOREIGN KEY ("made_by") REFERENCES "loom"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."form_entries" ADD CONSTRAINT "form_entries_address_form_addresses_id_fk" FOREIGN KEY ("address") REFERENCES "loom"."form_addresses"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."history" ADD CONSTRAINT "history_batch_batches_id_fk" FOREIGN KEY ("batch") REFERENCES "loom"."batches"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."idempotency" ADD CONSTRAINT "idempotency_person_people_id_fk" FOREIGN KEY ("person") REFERENCES "loom"."people"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."intakes" ADD CONSTRAINT "intakes_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."intakes" ADD CONSTRAINT "intakes_person_people_id_fk" FOREIGN KEY ("person") REFERENCES "loom"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."kept" ADD CONSTRAINT "kept_person_people_id_fk" FOREIGN KEY ("person") REFERENCES "loom"."people"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."kept" ADD CONSTRAINT "kept_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."mappings" ADD CONSTRAINT "mappings_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."mappings" ADD CONSTRAINT "mappings_person_people_id_fk" FOREIGN KEY ("person") REFERENCES "loom"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."members" ADD CONSTRAINT "members_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."members" ADD CONSTRAINT "members_person_people_id_fk" FOREIGN KEY ("person") REFERENCES "loom"."people"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."plans" ADD CONSTRAINT "plans_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."plans" ADD CONSTRAINT "plans_person_people_id_fk" FOREIGN KEY ("person") REFERENCES "loom"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."record_cycles" ADD CONSTRAINT "record_cycles_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."sessions" ADD CONSTRAINT "sessions_person_people_id_fk" FOREIGN KEY ("person") REFERENCES "loom"."people"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."set_aside" ADD CONSTRAINT "set_aside_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."set_aside" ADD CONSTRAINT "set_aside_batch_batches_id_fk" FOREIGN KEY ("batch") REFERENCES "loom"."batches"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."tokens" ADD CONSTRAINT "tokens_person_people_id_fk" FOREIGN KEY ("person") REFERENCES "loom"."people"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."views" ADD CONSTRAINT "views_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."views" ADD CONSTRAINT "views_person_people_id_fk" FOREIGN KEY ("person") REFERENCES "loom"."people"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "accepted_findings_of_table" ON "loom"."accepted_findings" USING btree ("workspace","table_id");--> statement-breakpoint
CREATE INDEX "batches_of_workspace" ON "loom"."batches" USING btree ("workspace","id");--> statement-breakpoint
CREATE UNIQUE INDEX "batches_of_call" ON "loom"."batches" USING btree ("person","call") WHERE call is not null;--> statement-breakpoint
CREATE INDEX "form_addresses_of_form" ON "loom"."form_addresses" USING btree ("workspace","form_id");--> statement-breakpoint
CREATE INDEX "form_entries_of_place" ON "loom"."form_entries" USING btree ("address","place","at");--> statement-breakpoint
CREATE INDEX "history_of_batch" ON "loom"."history" USING btree ("batch");--> statement-breakpoint
CREATE INDEX "history_of_record" ON "loom"."history" USING btree ("table_id","first_id","last_id");--> statement-breakpoint
CREATE UNIQUE INDEX "idempotency_once" ON "loom"."idempotency" USING btree ("person","key");--> statement-breakpoint
CREATE INDEX "intakes_of_workspace" ON "loom"."intakes" USING btree ("workspace","id");--> statement-breakpoint
CREATE INDEX "members_of_person" ON "loom"."members" USING btree ("person");--> statement-breakpoint
CREATE INDEX "set_aside_of_record" ON "loom"."set_aside" USING btree ("table_id","record_id");--> statement-breakpoint
CREATE INDEX "set_aside_of_field" ON "loom"."set_aside" USING btree ("workspace","table_id","field_id");--> statement-breakpoint
CREATE INDEX "views_of_person" ON "loom"."views" USING btree ("workspace","person");