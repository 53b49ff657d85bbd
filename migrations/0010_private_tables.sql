ALTER TABLE "loom"."batches" ADD COLUMN "private_to" integer;--> statement-breakpoint
ALTER TABLE "loom"."batches" ADD CONSTRAINT "batches_private_to_people_id_fk" FOREIGN KEY ("private_to") REFERENCES "loom"."people"("id") ON DELETE no action ON UPDATE no action;--> statement-breakpoint
-- Each write tells of itself: in this language the statement within is planned once a session, not at every call.
create or replace function loom.tell(topic text, news text) returns void language plpgsql as $$
begin
  perform pg_notify((select name from loom.channel) || topic, news);
end
$$;
