CREATE TABLE "loom"."files" (
	"workspace" integer NOT NULL,
	"hash" text NOT NULL,
	"size" bigint NOT NULL,
	"type" text NOT NULL,
	"sent_at" timestamp with time zone DEFAULT now() NOT NULL,
	"sent_by" integer NOT NULL,
	CONSTRAINT "files_workspace_hash_pk" PRIMARY KEY("workspace","hash")
);
--> statement-breakpoint
ALTER TABLE "loom"."people" ALTER COLUMN "password_hash" DROP NOT NULL;--> statement-breakpoint
ALTER TABLE "loom"."batches" ADD COLUMN "version" integer;--> statement-breakpoint
ALTER TABLE "loom"."people" ADD COLUMN "post" text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE "loom"."plans" ADD COLUMN "epoch" text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE "loom"."workspaces" ADD COLUMN "peers" integer[] DEFAULT '{}' NOT NULL;--> statement-breakpoint
ALTER TABLE "loom"."workspaces" ADD COLUMN "weave" jsonb DEFAULT '{}'::jsonb NOT NULL;--> statement-breakpoint
ALTER TABLE "loom"."files" ADD CONSTRAINT "files_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."files" ADD CONSTRAINT "files_sent_by_people_id_fk" FOREIGN KEY ("sent_by") REFERENCES "loom"."people"("id") ON DELETE no action ON UPDATE no action;