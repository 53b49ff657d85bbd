CREATE TABLE "loom"."transfer_misfits" (
	"transfer" bigint PRIMARY KEY NOT NULL,
	"misfits" jsonb NOT NULL
);
--> statement-breakpoint
ALTER TABLE "loom"."transfer_misfits" ADD CONSTRAINT "transfer_misfits_transfer_transfers_id_fk" FOREIGN KEY ("transfer") REFERENCES "loom"."transfers"("id") ON DELETE cascade ON UPDATE no action;