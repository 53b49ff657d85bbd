CREATE TABLE "loom"."analysts" (
	"id" serial PRIMARY KEY NOT NULL,
	"workspace" integer NOT NULL,
	"label" text NOT NULL,
	"role" text NOT NULL,
	"login" text NOT NULL,
	"names" text NOT NULL,
	"made_at" timestamp with time zone DEFAULT now() NOT NULL,
	"person" integer NOT NULL,
	CONSTRAINT "analysts_login_unique" UNIQUE("login")
);
--> statement-breakpoint
CREATE TABLE "loom"."calendar_addresses" (
	"id" serial NOT NULL,
	"hash" "bytea" PRIMARY KEY NOT NULL,
	"workspace" integer NOT NULL,
	"table_id" text NOT NULL,
	"view_id" text NOT NULL,
	"person" integer NOT NULL,
	"made_at" timestamp with time zone DEFAULT now() NOT NULL,
	"read_at" timestamp with time zone,
	CONSTRAINT "calendar_addresses_id_unique" UNIQUE("id")
);
--> statement-breakpoint
CREATE TABLE "loom"."deliveries" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"webhook" integer NOT NULL,
	"batch" bigint NOT NULL,
	"at" timestamp with time zone DEFAULT now() NOT NULL,
	"state" text DEFAULT 'waiting' NOT NULL,
	"body" text,
	"tries" integer DEFAULT 0 NOT NULL,
	"next_at" timestamp with time zone DEFAULT now() NOT NULL,
	"sent_at" timestamp with time zone,
	"status" integer,
	"answer" text
);
--> statement-breakpoint
CREATE TABLE "loom"."identities" (
	"issuer" text NOT NULL,
	"subject" text NOT NULL,
	"person" integer NOT NULL,
	CONSTRAINT "identities_issuer_subject_pk" PRIMARY KEY("issuer","subject")
);
--> statement-breakpoint
CREATE TABLE "loom"."token_calls" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"token" integer NOT NULL,
	"at" timestamp with time zone NOT NULL,
	"method" text NOT NULL,
	"path" text NOT NULL,
	"status" integer NOT NULL
);
--> statement-breakpoint
CREATE TABLE "loom"."webhooks" (
	"id" serial PRIMARY KEY NOT NULL,
	"workspace" integer NOT NULL,
	"table_id" text NOT NULL,
	"view_id" text,
	"label" text NOT NULL,
	"url" text NOT NULL,
	"secret" text NOT NULL,
	"state" text DEFAULT 'on' NOT NULL,
	"made_at" timestamp with time zone DEFAULT now() NOT NULL,
	"person" integer NOT NULL,
	"seen" bigint DEFAULT pg_snapshot_xmin(pg_current_snapshot())::text::bigint NOT NULL
);
--> statement-breakpoint
ALTER TABLE "loom"."batches" ADD COLUMN "transaction" bigint DEFAULT pg_current_xact_id()::text::bigint NOT NULL;--> statement-breakpoint
ALTER TABLE "loom"."groups" ADD COLUMN "follows" boolean DEFAULT false NOT NULL;--> statement-breakpoint
ALTER TABLE "loom"."people" ADD COLUMN "factor" text;--> statement-breakpoint
ALTER TABLE "loom"."people" ADD COLUMN "factor_step" bigint;--> statement-breakpoint
ALTER TABLE "loom"."sessions" ADD COLUMN "used_at" timestamp with time zone DEFAULT now() NOT NULL;--> statement-breakpoint
ALTER TABLE "loom"."tokens" ADD COLUMN "tables" text[];--> statement-breakpoint
ALTER TABLE "loom"."analysts" ADD CONSTRAINT "analysts_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."analysts" ADD CONSTRAINT "analysts_person_people_id_fk" FOREIGN KEY ("person") REFERENCES "loom"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."calendar_addresses" ADD CONSTRAINT "calendar_addresses_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."calendar_addresses" ADD CONSTRAINT "calendar_addresses_person_people_id_fk" FOREIGN KEY ("person") REFERENCES "loom"."people"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."deliveries" ADD CONSTRAINT "deliveries_webhook_webhooks_id_fk" FOREIGN KEY ("webhook") REFERENCES "loom"."webhooks"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."deliveries" ADD CONSTRAINT "deliveries_batch_batches_id_fk" FOREIGN KEY ("batch") REFERENCES "loom"."batches"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."identities" ADD CONSTRAINT "identities_person_people_id_fk" FOREIGN KEY ("person") REFERENCES "loom"."people"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."token_calls" ADD CONSTRAINT "token_calls_token_tokens_id_fk" FOREIGN KEY ("token") REFERENCES "loom"."tokens"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."webhooks" ADD CONSTRAINT "webhooks_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."webhooks" ADD CONSTRAINT "webhooks_person_people_id_fk" FOREIGN KEY ("person") REFERENCES "loom"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "deliveries_of_webhook" ON "loom"."deliveries" USING btree ("webhook","id");--> statement-breakpoint
CREATE INDEX "calls_of_token" ON "loom"."token_calls" USING btree ("token","id");--> statement-breakpoint
CREATE INDEX "webhooks_of_workspace" ON "loom"."webhooks" USING btree ("workspace");--> statement-breakpoint
CREATE INDEX "batches_by_transaction" ON "loom"."batches" USING btree ("workspace","transaction");
--> statement-breakpoint
-- Views of analysts name people, of whom these read nothing else.
alter function loom.person_name(int) security definer set search_path = '';
--> statement-breakpoint
-- Whoever can connect to the database can listen to any channel and speak on it, so ours has a name that nobody guesses.
create table loom.channel (name text not null);
--> statement-breakpoint
insert into loom.channel values ('loom_' || replace(gen_random_uuid()::text, '-', ''));
--> statement-breakpoint
create function loom.tell(topic text, news text) returns void language sql as $$
  select pg_notify((select name from loom.channel) || topic, news)
$$;
