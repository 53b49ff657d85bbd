ALTER TABLE "loom"."intakes" ADD COLUMN "files" jsonb DEFAULT '[]'::jsonb NOT NULL;--> statement-breakpoint
ALTER TABLE "loom"."intakes" ADD COLUMN "preview" jsonb;