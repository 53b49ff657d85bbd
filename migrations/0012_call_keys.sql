ALTER TABLE "loom"."batches" ADD COLUMN "call" text;--> statement-breakpoint
ALTER TABLE "loom"."idempotency" ADD COLUMN "body" text DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE "loom"."idempotency" ADD COLUMN "process" text DEFAULT '' NOT NULL;--> statement-breakpoint
CREATE INDEX "batches_of_call" ON "loom"."batches" USING btree ("person","call") WHERE call is not null;