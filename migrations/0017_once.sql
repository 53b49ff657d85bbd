DROP INDEX "loom"."batches_of_call";--> statement-breakpoint
UPDATE "loom"."batches" b SET "call" = NULL WHERE EXISTS (SELECT FROM "loom"."batches" o WHERE o."person" = b."person" AND o."call" = b."call" AND o."id" > b."id");
--> statement-breakpoint
CREATE UNIQUE INDEX "batches_of_call" ON "loom"."batches" USING btree ("person","call") WHERE call is not null;