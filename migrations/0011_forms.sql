CREATE TABLE "loom"."form_addresses" (
	"id" serial PRIMARY KEY NOT NULL,
	"workspace" integer NOT NULL,
	"table_id" text NOT NULL,
	"form_id" text NOT NULL,
	"secret" text NOT NULL,
	"label" text NOT NULL,
	"made_at" timestamp with time zone DEFAULT now() NOT NULL,
	"made_by" integer NOT NULL,
	"expires_at" timestamp with time zone,
	"most" integer,
	"most_hourly" integer NOT NULL,
	"closed" boolean DEFAULT false NOT NULL,
	"entries" integer DEFAULT 0 NOT NULL,
	CONSTRAINT "form_addresses_secret_unique" UNIQUE("secret")
);
--> statement-breakpoint
CREATE TABLE "loom"."form_entries" (
	"address" integer NOT NULL,
	"key" text NOT NULL,
	"place" text NOT NULL,
	"at" timestamp with time zone DEFAULT now() NOT NULL,
	CONSTRAINT "form_entries_address_key_pk" PRIMARY KEY("address","key")
);
--> statement-breakpoint
ALTER TABLE "loom"."batches" ALTER COLUMN "person" DROP NOT NULL;--> statement-breakpoint
ALTER TABLE "loom"."files" ALTER COLUMN "sent_by" DROP NOT NULL;--> statement-breakpoint
ALTER TABLE "loom"."form_addresses" ADD CONSTRAINT "form_addresses_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."form_addresses" ADD CONSTRAINT "form_addresses_made_by_people_id_fk" FOREIGN KEY ("made_by") REFERENCES "loom"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."form_entries" ADD CONSTRAINT "form_entries_address_form_addresses_id_fk" FOREIGN KEY ("address") REFERENCES "loom"."form_addresses"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "form_addresses_of_form" ON "loom"."form_addresses" USING btree ("workspace","form_id");--> statement-breakpoint
CREATE INDEX "form_entries_of_place" ON "loom"."form_entries" USING btree ("address","place","at");