-- What the formula language needs of PostgreSQL. Each has a twin in src/lib/core that gives the same to the digit;
-- the tests hold them against each other.

-- a / b to 20 significant digits, at most 40 decimals, half away from zero; blank for b = 0 (core: numbers.divide).
create function loom.div(a numeric, b numeric) returns numeric language sql immutable parallel safe as $$
  select case when b <> 0 then trim_scale(round(
    to_char(round(a, greatest(60, scale(a))) / b, '9.9999999999999999999EEEE')::numeric, 40)) end
$$;
--> statement-breakpoint
-- What a field can hold of a number: below 10^30, at most 30 decimals; beyond that blank (core: evaluator.fitNumber).
create function loom.fit(x numeric) returns numeric language sql immutable parallel safe as $$
  select case when abs(x) < 1000000000000000000000000000000 then trim_scale(round(x, 30)) end
$$;
--> statement-breakpoint
-- Whole days later (fractions cut), blank outside the years 1 to 9999.
create function loom.shift_days(d date, n numeric) returns date language sql immutable parallel safe as $$
  select case when abs(trunc(n)) <= 4000000 and (d - date '0001-01-01') + trunc(n) between 0 and 3652058 then d + trunc(n)::int end
$$;
--> statement-breakpoint
-- Months first, then days; blank outside the years 1 to 9999.
create function loom.shift_interval(d date, i interval) returns date language plpgsql immutable parallel safe as $$
declare moved date;
begin
  if i is null or d is null or abs(extract(day from i)) > 4000000 or abs(extract(year from i)) > 10000 then return null; end if;
  moved := (d + make_interval(years => extract(year from i)::int, months => extract(month from i)::int))::date;
  if moved < date '0001-01-01' or moved > date '9999-12-31' then return null; end if;
  return loom.shift_days(moved, extract(day from i));
end $$;
--> statement-breakpoint
create function loom.date_of(y numeric, m numeric, d numeric) returns date language sql immutable parallel safe as $$
  select case when y = trunc(y) and m = trunc(m) and d = trunc(d) and y between 1 and 9999 and m between 1 and 12 and d between 1 and 31
    then case when d <= extract(day from make_date(y::int, m::int, 1) + interval '1 month' - interval '1 day')
      then make_date(y::int, m::int, d::int) end end
$$;
--> statement-breakpoint
-- In functions of their own, as an explicit collation would clash with the one that orders by code point.
create function loom.lower(x text) returns text language plpgsql immutable parallel safe as $$
begin return lower(x collate "und-x-icu"); end $$;
--> statement-breakpoint
create function loom.upper(x text) returns text language plpgsql immutable parallel safe as $$
begin return upper(x collate "und-x-icu"); end $$;
--> statement-breakpoint
-- The number a trimmed text says, or blank (core: values/number.parse).
create function loom.read_number(t text, decimal_sign text) returns numeric language plpgsql immutable parallel safe as $$
declare
  plain text := regexp_replace(t, '^−', '-');
  n numeric;
begin
  if decimal_sign = ',' then
    if plain ~ '^[+-]?\d{1,3}(\.\d{3})+(,\d+)?$' then plain := replace(plain, '.', '');
    elsif strpos(plain, '.') > 0 then return null;
    end if;
    plain := replace(plain, ',', '.');
  elsif plain ~ '^[+-]?\d{1,3}(,\d{3})+(\.\d+)?$' then plain := replace(plain, ',', '');
  end if;
  if length(plain) > 2000 or plain !~ '^[+-]?(\d+(\.\d*)?|\.\d+)$' then return null; end if;
  n := trim_scale(plain::numeric);
  return case when abs(n) < 1000000000000000000000000000000 and scale(n) <= 30 then n end;
end $$;
--> statement-breakpoint
-- The date a trimmed text says, or blank (core: values/date.parse). part_order: ymd, dmy or mdy.
create function loom.read_date(t text, part_order text) returns date language plpgsql immutable parallel safe as $$
declare p int[];
begin
  p := regexp_match(t, '^(\d{4})-(\d{1,2})-(\d{1,2})$');
  if p is not null then return loom.date_of(p[1], p[2], p[3]); end if;
  if part_order = 'ymd' then return null; end if;
  p := regexp_match(t, '^(\d{1,2})[./-](\d{1,2})[./-](\d{4})$');
  if p is null then return null; end if;
  return case part_order when 'dmy' then loom.date_of(p[3], p[2], p[1]) else loom.date_of(p[3], p[1], p[2]) end;
end $$;
--> statement-breakpoint
-- Files on their way in; each file is an unlogged table of texts here.
create schema loom_staging;
--> statement-breakpoint
-- The number where it has no more decimals than that, otherwise blank.
create function loom.whole_to(x numeric, digits int) returns numeric language sql immutable parallel safe as $$
  select case when scale(trim_scale(x)) <= digits then x end
$$;
--> statement-breakpoint
-- The order of texts for people: by the root of the Unicode collation, numbers inside a text by their size.
create collation loom.people (provider = icu, locale = 'und-u-kn-true');
--> statement-breakpoint
-- A whole number held between -most and most; blank stays blank, which greatest and least would pass over.
create function loom.clamp(x numeric, most int) returns int language sql immutable parallel safe as $$
  select case when x > most then most when x < - most then - most else trunc(x)::int end
$$;
--> statement-breakpoint
create function loom.not_below_zero(x int) returns int language sql immutable parallel safe as $$
  select case when x < 0 then 0 else x end
$$;
