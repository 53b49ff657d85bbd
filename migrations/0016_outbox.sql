ALTER TABLE "loom"."mail_stand_in" ADD COLUMN "seconds" integer DEFAULT 0 NOT NULL;--> statement-breakpoint
ALTER TABLE "loom"."outbox" ADD COLUMN "routine" text;--> statement-breakpoint
ALTER TABLE "loom"."outgoing" ADD COLUMN "label" text DEFAULT '' NOT NULL;