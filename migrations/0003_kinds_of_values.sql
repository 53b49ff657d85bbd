-- What the kinds of values need of PostgreSQL. Each has a twin in src/lib/core/values; the tests hold them against each other.

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
-- A person by number, email or full name; blank when the name is several people's (core: values/member.parse).
create function loom.find_person(t text) returns int language plpgsql stable parallel safe as $$
declare found int[];
begin
  if t ~ '^[1-9][0-9]{0,8}$' then
    select array_agg(p.id) into found from loom.people p where p.id = t::int;
  else
    select array_agg(p.id) into found from loom.people p where lower(p.email) = lower(t);
    if found is null then select array_agg(p.id) into found from loom.people p where lower(p.name) = lower(t); end if;
  end if;
  return case when cardinality(found) = 1 then found[1] end;
end $$;
--> statement-breakpoint
-- Without the white space that JavaScript's trim takes away.
create function loom.trimmed(t text) returns text language sql immutable parallel safe as $$
  select nullif(btrim(t, U&' \0009\000A\000B\000C\000D\00A0\1680\2000\2001\2002\2003\2004\2005\2006\2007\2008\2009\200A\2028\2029\202F\205F\3000\FEFF'), '')
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
-- The instant a trimmed text says, or blank (core: values/dateTime.readInstant).
create function loom.read_instant(t text, part_order text, zone text) returns timestamptz language plpgsql immutable parallel safe as $$
declare
  p text[];
  d date;
  shift int;
  at timestamptz;
begin
  p := regexp_match(t, '^([0-9]{4}-[0-9]{1,2}-[0-9]{1,2}|[0-9]{1,2}[./-][0-9]{1,2}[./-][0-9]{4})(?:(?: +|T|, ?)([0-9]{1,2}):([0-9]{2})(?::([0-9]{2})(?:\.[0-9]{1,9})?)?)? ?(Z|[+-][0-9]{2}:?[0-9]{2})?$', 'i');
  if p is null then return null; end if;
  d := loom.read_date(p[1], part_order);
  if d is null or coalesce(p[2], '0')::int > 23 or coalesce(p[3], '0')::int > 59 or coalesce(p[4], '0')::int > 59 then return null; end if;
  if p[5] is null then
    at := (d + make_time(coalesce(p[2], '0')::int, coalesce(p[3], '0')::int, coalesce(p[4], '0')::int)) at time zone zone;
  else
    shift := case when upper(p[5]) = 'Z' then 0 else substr(p[5], 2, 2)::int * 60 + right(p[5], 2)::int end;
    if upper(p[5]) <> 'Z' and (substr(p[5], 2, 2)::int > 15 or right(p[5], 2)::int > 59) then return null; end if;
    at := ((d + make_time(coalesce(p[2], '0')::int, coalesce(p[3], '0')::int, coalesce(p[4], '0')::int)) at time zone 'UTC')
      - make_interval(mins => case when left(p[5], 1) = '-' then - shift else shift end);
  end if;
  return case when at >= timestamptz '0001-01-01 00:00:00+00' and at < timestamptz '10000-01-01 00:00:00+00' then at end;
end $$;
--> statement-breakpoint
-- The duration a trimmed text says, or blank (core: values/duration.readDuration).
create function loom.read_duration(t text) returns interval language plpgsql immutable parallel safe as $$
declare
  p text[];
  s numeric;
begin
  p := regexp_match(t, '^([-−]?)([0-9]{1,7}):([0-5][0-9])(?::([0-5][0-9]))?$');
  if p is not null then
    s := (p[2]::numeric * 3600 + p[3]::numeric * 60 + coalesce(p[4], '0')::numeric) * case when p[1] <> '' then -1 else 1 end;
  elsif t ~ '[0-9]' then
    p := regexp_match(upper(t), '^([-−]?)P(?:([0-9]{1,9})D)?(?:T(?:([0-9]{1,9})H)?(?:([0-9]{1,9})M)?(?:([0-9]{1,9})S)?)?$');
    if p is not null then
      s := (coalesce(p[2], '0')::numeric * 86400 + coalesce(p[3], '0')::numeric * 3600 + coalesce(p[4], '0')::numeric * 60 + coalesce(p[5], '0')::numeric) * case when p[1] <> '' then -1 else 1 end;
    else
      p := regexp_match(lower(t), '^(?:([0-9]{1,9}) ?d(?:ays?)?)? ?(?:([0-9]{1,9}) ?h(?:ours?|rs?)?)? ?(?:([0-9]{1,9}) ?m(?:in(?:utes?)?)?)? ?(?:([0-9]{1,9}) ?s(?:ec(?:onds?)?)?)?$');
      if p is not null then
        s := coalesce(p[1], '0')::numeric * 86400 + coalesce(p[2], '0')::numeric * 3600 + coalesce(p[3], '0')::numeric * 60 + coalesce(p[4], '0')::numeric;
      end if;
    end if;
  end if;
  return case when abs(s) <= 9999999999 then make_interval(secs => s) end;
end $$;
--> statement-breakpoint
-- The money a trimmed text says in a field of this currency, or of the text's own where it is null (core: values/money).
create function loom.read_money(t text, decimal_sign text, digits int, wanted text) returns loom.money language plpgsql immutable parallel safe as $$
declare
  p text[];
  sign text;
  code text;
  amount numeric;
begin
  p := regexp_match(t, '^([A-Za-z]{3}|[€£$₹]|Kč|Ft|zł)?[ \t]*([-+−]?[0-9.,]+)[ \t]*([A-Za-z]{3}|[€£$₹]|Kč|Ft|zł)?$');
  if p is null or (p[1] is not null and p[3] is not null) then return null; end if;
  sign := coalesce(p[1], p[3]);
  code := case sign when '€' then 'EUR' when '£' then 'GBP' when '$' then 'USD' when '₹' then 'INR' when 'Kč' then 'CZK' when 'Ft' then 'HUF' when 'zł' then 'PLN' else upper(sign) end;
  amount := loom.whole_to(loom.read_number(p[2], decimal_sign), digits);
  if amount is null or (wanted is not null and code <> wanted) then return null; end if;
  if wanted is null and (code is null or code <> all (array['EUR','GBP','CHF','CZK','DKK','HUF','NOK','PLN','RON','SEK','AUD','CAD','CNY','INR','JPY','NZD','USD','ZAR'])) then return null; end if;
  return row(amount, coalesce(wanted, code))::loom.money;
end $$;
--> statement-breakpoint
-- One option by label, by label in any letter case, or by id (core: values/option.parse).
create function loom.read_option(t text, ids text[], labels text[]) returns text language plpgsql immutable parallel safe as $$
declare at int;
begin
  at := coalesce(array_position(labels, t), array_position((select array_agg(lower(l collate "und-x-icu") order by n) from unnest(labels) with ordinality u(l, n)), lower(t collate "und-x-icu")), array_position(ids, t));
  return ids[at];
end $$;
--> statement-breakpoint
-- Several options, semicolons or commas between; blank when one of them is none (core: values/options.parse).
create function loom.read_options(t text, ids text[], labels text[]) returns text[] language plpgsql immutable parallel safe as $$
declare
  whole text := loom.read_option(t, ids, labels);
  found text[];
  words int;
begin
  if whole is not null then return array[whole]; end if;
  select array_agg(distinct o collate "C" order by o collate "C") filter (where o is not null), count(*) filter (where o is null)
    into found, words
    from (select loom.read_option(w, ids, labels) as o
      from (select loom.trimmed(w) as w from regexp_split_to_table(t, case when strpos(t, ';') > 0 then ';' else ',' end) w) x where w is not null) y;
  return case when words = 0 then found end;
end $$;
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
-- The place a trimmed text says that is no name of the gazetteer (core: values/place.parse).
create function loom.read_place(t text) returns jsonb language plpgsql immutable parallel safe as $$
declare
  p text[];
  lat numeric;
  lon numeric;
begin
  if char_length(t) > 500 then return null; end if;
  p := regexp_match(t, '^(?:(.*[^ \t\n\r\f\v])[ \t\n\r\f\v]*[(@][ \t\n\r\f\v]*)?([-+−]?[0-9]{1,3}(?:\.[0-9]+)?)[ \t\n\r\f\v]*[,;][ \t\n\r\f\v]*([-+−]?[0-9]{1,3}(?:\.[0-9]+)?)[ \t\n\r\f\v]*\)?$');
  if p is null then return loom.place_of(t, null, null); end if;
  lat := loom.whole_to(loom.read_number(p[2], '.'), 6);
  lon := loom.whole_to(loom.read_number(p[3], '.'), 6);
  return case when abs(lat) <= 90 and abs(lon) <= 180 then loom.place_of(p[1], lat, lon) end;
end $$;
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
--> statement-breakpoint
-- As before, but with digits that are ASCII only: \d also takes those of other scripts, which no cast reads.
create or replace function loom.read_number(t text, decimal_sign text) returns numeric language plpgsql immutable parallel safe as $$
declare
  plain text := regexp_replace(t, '^−', '-');
  n numeric;
begin
  if decimal_sign = ',' then
    if plain ~ '^[+-]?[0-9]{1,3}(\.[0-9]{3})+(,[0-9]+)?$' then plain := replace(plain, '.', '');
    elsif strpos(plain, '.') > 0 then return null;
    end if;
    plain := replace(plain, ',', '.');
  elsif plain ~ '^[+-]?[0-9]{1,3}(,[0-9]{3})+(\.[0-9]+)?$' then plain := replace(plain, ',', '');
  end if;
  if length(plain) > 2000 or plain !~ '^[+-]?([0-9]+(\.[0-9]*)?|\.[0-9]+)$' then return null; end if;
  n := trim_scale(plain::numeric);
  return case when abs(n) < 1000000000000000000000000000000 and scale(n) <= 30 then n end;
end $$;
--> statement-breakpoint
create or replace function loom.read_date(t text, part_order text) returns date language plpgsql immutable parallel safe as $$
declare p int[];
begin
  p := regexp_match(t, '^([0-9]{4})-([0-9]{1,2})-([0-9]{1,2})$');
  if p is not null then return loom.date_of(p[1], p[2], p[3]); end if;
  if part_order = 'ymd' then return null; end if;
  p := regexp_match(t, '^([0-9]{1,2})[./-]([0-9]{1,2})[./-]([0-9]{4})$');
  if p is null then return null; end if;
  return case part_order when 'dmy' then loom.date_of(p[3], p[2], p[1]) else loom.date_of(p[3], p[1], p[2]) end;
end $$;
