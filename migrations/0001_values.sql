-- How values stand in columns and are shown: types, the order of texts, who is writing. Each function has a twin in
-- src/lib/core that gives the same to the digit; the tests hold them against each other.

-- Files on their way in; each file is an unlogged table of texts here.
create schema loom_staging;
--> statement-breakpoint
-- The order of texts for people: by the root of the Unicode collation, numbers inside a text by their size.
create collation loom.people (provider = icu, locale = 'und-u-kn-true');
--> statement-breakpoint
-- Money of a currency that each record chooses.
create type loom.money as (amount numeric, currency text);
--> statement-breakpoint
-- Who is writing, for the columns that say who made and who changed a record.
create function loom.person() returns int language sql stable parallel safe as $$
  select nullif(current_setting('loom.person', true), '')::int
$$;
--> statement-breakpoint
create function loom.person_name(id int) returns text language sql stable parallel safe as $$
  select p.name from loom.people p where p.id = $1
$$;
--> statement-breakpoint
create function loom.person_email(id int) returns text language sql stable parallel safe as $$
  select p.email from loom.people p where p.id = $1
$$;
--> statement-breakpoint
-- Without the white space that JavaScript's trim takes away.
create function loom.trimmed(t text) returns text language sql immutable parallel safe as $$
  select nullif(btrim(t, U&' \0009\000A\000B\000C\000D\00A0\1680\2000\2001\2002\2003\2004\2005\2006\2007\2008\2009\200A\2028\2029\202F\205F\3000\FEFF'), '')
$$;
--> statement-breakpoint
-- In functions of their own, as an explicit collation would clash with the one that orders by code point.
create function loom.lower(x text) returns text language plpgsql immutable parallel safe as $$
begin return lower(x collate "und-x-icu"); end $$;
--> statement-breakpoint
create function loom.upper(x text) returns text language plpgsql immutable parallel safe as $$
begin return upper(x collate "und-x-icu"); end $$;
--> statement-breakpoint
-- What a field can hold of a number: below 10^30, at most 30 decimals; beyond that blank (core: evaluator.fitNumber).
create function loom.fit(x numeric) returns numeric language sql immutable parallel safe as $$
  select case when abs(x) < 1000000000000000000000000000000 then trim_scale(round(x, 30)) end
$$;
--> statement-breakpoint
-- The number where it has no more decimals than that, otherwise blank.
create function loom.whole_to(x numeric, digits int) returns numeric language sql immutable parallel safe as $$
  select case when scale(trim_scale(x)) <= digits then x end
$$;
--> statement-breakpoint
-- A whole number held between -most and most; blank stays blank, which greatest and least would pass over.
create function loom.clamp(x numeric, most int) returns int language sql immutable parallel safe as $$
  select case when x > most then most when x < - most then - most else trunc(x)::int end
$$;
--> statement-breakpoint
create function loom.not_below_zero(x int) returns int language sql immutable parallel safe as $$
  select case when x < 0 then 0 else x end
$$;
--> statement-breakpoint
create function loom.date_of(y numeric, m numeric, d numeric) returns date language sql immutable parallel safe as $$
  select case when y = trunc(y) and m = trunc(m) and d = trunc(d) and y between 1 and 9999 and m between 1 and 12 and d between 1 and 31
    then case when d <= extract(day from make_date(y::int, m::int, 1) + interval '1 month' - interval '1 day')
      then make_date(y::int, m::int, d::int) end end
$$;
--> statement-breakpoint
create function loom.day_start(d date, zone text) returns timestamptz language sql immutable parallel safe as $$
  select case when x >= timestamptz '0001-01-01 00:00:00+00' then x end from (select d::timestamp at time zone zone as x) s
$$;
--> statement-breakpoint
-- The day an instant falls on by the clocks of a zone, blank outside the years 1 to 9999.
create function loom.day_of(x timestamptz, zone text) returns date language sql immutable parallel safe as $$
  select case when d between date '0001-01-01' and date '9999-12-31' then d end from (select (x at time zone zone)::date as d) s
$$;
--> statement-breakpoint
create function loom.instant_text(x timestamptz, zone text) returns text language sql immutable parallel safe as $$
  select to_char(x at time zone zone, case when date_part('second', x at time zone zone) = 0 then 'YYYY-MM-DD HH24:MI' else 'YYYY-MM-DD HH24:MI:SS' end)
$$;
--> statement-breakpoint
create function loom.duration_text(x interval) returns text language sql immutable parallel safe as $$
  select case when s < 0 then '-' else '' end || trunc(abs(s) / 3600)::text || to_char(trunc(mod(abs(s), 3600) / 60), ':FM00')
    || case when mod(abs(s), 60) = 0 then '' else to_char(mod(abs(s), 60), ':FM00') end
  from (select extract(epoch from x) as s offset 0) e
$$;
--> statement-breakpoint
create function loom.place_of(address text, latitude numeric, longitude numeric) returns jsonb language sql immutable parallel safe as $$
  select case when address is not null or latitude is not null then
    jsonb_build_object('address', address, 'latitude', trim_scale(latitude)::text, 'longitude', trim_scale(longitude)::text) end
$$;
--> statement-breakpoint
create function loom.place_text(x jsonb) returns text language sql immutable parallel safe as $$
  select case when x ->> 'latitude' is null then x ->> 'address' when x ->> 'address' is null then (x ->> 'latitude') || ', ' || (x ->> 'longitude')
    else (x ->> 'address') || ' (' || (x ->> 'latitude') || ', ' || (x ->> 'longitude') || ')' end
$$;
--> statement-breakpoint
create function loom.files_text(x jsonb) returns text language sql immutable parallel safe as $$
  select string_agg(f ->> 'name', '; ' order by n) from jsonb_array_elements(x) with ordinality e(f, n)
$$;
--> statement-breakpoint
-- The next running number as text: `before` and `behind` may hold {year}, the year on the clocks of the zone.
create function loom.running(before text, width int, behind text, n bigint, zone text) returns text language sql stable as $$
  select replace(before, '{year}', y) || lpad(n::text, greatest(width, length(n::text)), '0') || replace(behind, '{year}', y)
  from (select to_char(now() at time zone zone, 'YYYY') as y) c
$$;
