ALTER TABLE "loom"."workspaces" ADD COLUMN "archived_at" timestamp with time zone;--> statement-breakpoint
ALTER TABLE "loom"."workspaces" ADD COLUMN "deleted_at" timestamp with time zone;