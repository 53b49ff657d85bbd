CREATE TABLE "loom"."samples" (
	"workspace" integer NOT NULL,
	"table_id" text NOT NULL,
	"first_id" bigint NOT NULL,
	"last_id" bigint NOT NULL,
	CONSTRAINT "samples_workspace_table_id_first_id_pk" PRIMARY KEY("workspace","table_id","first_id")
);
--> statement-breakpoint
CREATE TABLE "loom"."template_uses" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"workspace" integer NOT NULL,
	"plan" bigint NOT NULL,
	"name" text NOT NULL,
	"version" integer NOT NULL,
	"body" json NOT NULL,
	"names" jsonb NOT NULL,
	"stood" text[] DEFAULT '{}' NOT NULL,
	"samples" boolean NOT NULL
);
--> statement-breakpoint
CREATE TABLE "loom"."templates" (
	"id" serial PRIMARY KEY NOT NULL,
	"name" text NOT NULL,
	"version" integer NOT NULL,
	"body" json NOT NULL,
	"shown" jsonb NOT NULL,
	"audience" integer[],
	"position" integer DEFAULT 0 NOT NULL,
	"made_by" integer,
	"made_at" timestamp with time zone DEFAULT now() NOT NULL
);
--> statement-breakpoint
ALTER TABLE "loom"."workspaces" ADD COLUMN "preview" text;--> statement-breakpoint
ALTER TABLE "loom"."workspaces" ADD COLUMN "previewed_at" timestamp with time zone;--> statement-breakpoint
ALTER TABLE "loom"."samples" ADD CONSTRAINT "samples_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."template_uses" ADD CONSTRAINT "template_uses_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."templates" ADD CONSTRAINT "templates_made_by_people_id_fk" FOREIGN KEY ("made_by") REFERENCES "loom"."people"("id") ON DELETE set null ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "template_uses_of_workspace" ON "loom"."template_uses" USING btree ("workspace","name");--> statement-breakpoint
CREATE UNIQUE INDEX "templates_by_version" ON "loom"."templates" USING btree ("name","version");