CREATE TABLE "loom"."audit" (
	"id" bigserial PRIMARY KEY NOT NULL,
	"at" timestamp with time zone DEFAULT now() NOT NULL,
	"person" integer,
	"name" text NOT NULL,
	"workspace" integer,
	"kind" text NOT NULL,
	"facts" jsonb NOT NULL
);
--> statement-breakpoint
ALTER TABLE "loom"."members" ADD COLUMN "since" timestamp with time zone DEFAULT now() NOT NULL;--> statement-breakpoint
ALTER TABLE "loom"."people" ADD COLUMN "seen_at" timestamp with time zone;--> statement-breakpoint
ALTER TABLE "loom"."tokens" ADD COLUMN "id" serial NOT NULL;--> statement-breakpoint
ALTER TABLE "loom"."tokens" ADD COLUMN "role" text;--> statement-breakpoint
ALTER TABLE "loom"."tokens" ADD COLUMN "workspace" integer;--> statement-breakpoint
ALTER TABLE "loom"."tokens" ADD COLUMN "ends_at" timestamp with time zone;--> statement-breakpoint
ALTER TABLE "loom"."tokens" ADD COLUMN "used_at" timestamp with time zone;--> statement-breakpoint
CREATE INDEX "audit_of_workspace" ON "loom"."audit" USING btree ("workspace","id");--> statement-breakpoint
ALTER TABLE "loom"."tokens" ADD CONSTRAINT "tokens_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."tokens" ADD CONSTRAINT "tokens_id_unique" UNIQUE("id");--> statement-breakpoint
-- What happened stays: the application may add to the trail, and neither change nor delete what stands in it.
create function loom.audit_stays() returns trigger language plpgsql as $$
begin
  raise exception 'the audit trail is not changed';
end $$;
--> statement-breakpoint
create trigger audit_stays before update or delete on loom.audit for each row execute function loom.audit_stays();
--> statement-breakpoint
create trigger audit_stays_whole before truncate on loom.audit for each statement execute function loom.audit_stays();
