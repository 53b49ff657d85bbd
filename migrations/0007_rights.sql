CREATE TABLE "loom"."group_members" (
	"workspace" integer NOT NULL,
	"group" integer NOT NULL,
	"role" text NOT NULL,
	"since" timestamp with time zone DEFAULT now() NOT NULL,
	CONSTRAINT "group_members_workspace_group_pk" PRIMARY KEY("workspace","group")
);
--> statement-breakpoint
CREATE TABLE "loom"."group_people" (
	"group" integer NOT NULL,
	"person" integer NOT NULL,
	CONSTRAINT "group_people_group_person_pk" PRIMARY KEY("group","person")
);
--> statement-breakpoint
CREATE TABLE "loom"."groups" (
	"id" serial PRIMARY KEY NOT NULL,
	"label" text NOT NULL,
	"description" text DEFAULT '' NOT NULL,
	CONSTRAINT "groups_label_unique" UNIQUE("label")
);
--> statement-breakpoint
ALTER TABLE "loom"."people" ADD COLUMN "deactivated_at" timestamp with time zone;--> statement-breakpoint
ALTER TABLE "loom"."group_members" ADD CONSTRAINT "group_members_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."group_members" ADD CONSTRAINT "group_members_group_groups_id_fk" FOREIGN KEY ("group") REFERENCES "loom"."groups"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."group_people" ADD CONSTRAINT "group_people_group_groups_id_fk" FOREIGN KEY ("group") REFERENCES "loom"."groups"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE "loom"."group_people" ADD CONSTRAINT "group_people_person_people_id_fk" FOREIGN KEY ("person") REFERENCES "loom"."people"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX "workspaces_of_group" ON "loom"."group_members" USING btree ("group");--> statement-breakpoint
CREATE INDEX "groups_of_person" ON "loom"."group_people" USING btree ("person");--> statement-breakpoint
-- Who is in which workspace: by a role of their own, else by the group whose role may do most. Joins and anti-joins
-- alone, so that one person in one workspace is looked up by indexes, however many groups there are.
create function loom.role_rank(role text) returns int language sql immutable parallel safe as $$
  select case role when 'administrator' then 1 when 'designer' then 2 when 'editor' then 3 when 'reader' then 5 else 4 end
$$;
--> statement-breakpoint
create view loom.memberships as
select m.workspace, m.person, m.role, null::integer as via
from loom.members m
join loom.people p on p.id = m.person and p.deactivated_at is null
union all
select g.workspace, i.person, g.role, g."group" as via
from loom.group_members g
join loom.group_people i on i."group" = g."group"
join loom.people p on p.id = i.person and p.deactivated_at is null
where not exists (select from loom.members m where m.workspace = g.workspace and m.person = i.person)
  and not exists (
    select
    from loom.group_people j
    join loom.group_members o on o."group" = j."group"
    where j.person = i.person and o.workspace = g.workspace
      and (loom.role_rank(o.role), o."group") < (loom.role_rank(g.role), g."group")
  );
