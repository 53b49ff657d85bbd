CREATE TABLE "loom"."record_cycles" (
	"workspace" integer NOT NULL,
	"table_id" text NOT NULL,
	"field_id" text NOT NULL,
	"record_id" bigint NOT NULL,
	CONSTRAINT "record_cycles_field_id_record_id_pk" PRIMARY KEY("field_id","record_id")
);
--> statement-breakpoint
ALTER TABLE "loom"."record_cycles" ADD CONSTRAINT "record_cycles_workspace_workspaces_id_fk" FOREIGN KEY ("workspace") REFERENCES "loom"."workspaces"("id") ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
-- Money of a chosen currency; blank where it cannot be stored (core: functions/money).
create function loom.money_of(amount numeric, currency text) returns loom.money language sql immutable parallel safe as $$
  select case when amount is not null and currency is not null and loom.fit(amount) is not null then row(loom.fit(amount), currency)::loom.money end
$$;
--> statement-breakpoint
create function loom.money_plus(a loom.money, b loom.money) returns loom.money language sql immutable parallel safe as $$
  select case when (a).currency = (b).currency then loom.money_of((a).amount + (b).amount, (a).currency) end
$$;
--> statement-breakpoint
create function loom.money_minus(a loom.money, b loom.money) returns loom.money language sql immutable parallel safe as $$
  select case when (a).currency = (b).currency then loom.money_of((a).amount - (b).amount, (a).currency) end
$$;
--> statement-breakpoint
create function loom.money_times(a loom.money, n numeric) returns loom.money language sql immutable parallel safe as $$
  select loom.money_of((a).amount * n, (a).currency)
$$;
--> statement-breakpoint
create function loom.money_over(a loom.money, n numeric) returns loom.money language sql immutable parallel safe as $$
  select loom.money_of(loom.div((a).amount, n), (a).currency)
$$;
--> statement-breakpoint
create function loom.money_ratio(a loom.money, b loom.money) returns numeric language sql immutable parallel safe as $$
  select case when (a).currency = (b).currency then loom.div((a).amount, (b).amount) end
$$;
--> statement-breakpoint
create function loom.money_round(a loom.money, places numeric) returns loom.money language sql immutable parallel safe as $$
  select loom.money_of(round((a).amount, loom.clamp(places, 30)), (a).currency)
$$;
--> statement-breakpoint
create function loom.money_amounts(amounts loom.money[]) returns numeric language sql immutable parallel safe as $$
  select sum((m).amount) from unnest(amounts) m
$$;
--> statement-breakpoint
-- Blank rather than longer than a million characters, as replacing within replaced texts multiplies their lengths (core: text.replace).
create function loom.replaced(t text, a text, b text) returns text language sql immutable strict parallel safe as $$
  select case
    when a = '' then t
    when char_length(t) + (char_length(t) - char_length(replace(t, a, ''))) / char_length(a) * (char_length(b) - char_length(a)) <= 1000000 then replace(t, a, b)
  end
$$;
