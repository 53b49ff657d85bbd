ALTER TABLE "loom"."workspaces" ADD COLUMN "dye" text DEFAULT 'woad' NOT NULL;--> statement-breakpoint
ALTER TABLE "loom"."workspaces" ADD COLUMN "icon" text;