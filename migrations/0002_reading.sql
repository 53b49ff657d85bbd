-- What was written, as a value, blank where it is none: the twins of parse in src/lib/core, held against each other by
-- the tests.

-- Dates with months by their names and years of two digits, numbers with exponents and in brackets: the twins of
-- core/values/date, months and number.
create function loom.month_of(word text) returns int language sql immutable parallel safe as $$
  select case when length(word) >= 3 and count(distinct m) = 1 then min(m)::int end
  from (select m, unnest(string_to_array(names, ' ')) as name from (values
    (1, 'january januar jänner janvier enero gennaio januari'), (2, 'february februar feber février febrero febbraio februari'),
    (3, 'march märz mars marzo maart'), (4, 'april avril abril aprile'), (5, 'may mai mayo maggio mei'),
    (6, 'june juni juin junio giugno'), (7, 'july juli juillet julio luglio'), (8, 'august août agosto augustus'),
    (9, 'september septembre septiembre settembre'), (10, 'october oktober octobre octubre ottobre'),
    (11, 'november novembre noviembre'), (12, 'december dezember décembre diciembre dicembre')) v(m, names)) n
  where starts_with(name, word)
$$;
--> statement-breakpoint
-- As before, but with digits that are ASCII only: \d also takes those of other scripts, which no cast reads.
create function loom.read_number(t text, decimal_sign text) returns numeric language plpgsql immutable parallel safe as $$
declare
  plain text := regexp_replace(regexp_replace(t, '^−', '-'), '^\( ?([0-9.,]+) ?\)$', '-\1');
  n numeric;
begin
  if plain ~ '^[+-]?(?:[0-9]+(?:[.,][0-9]+)?e[+-]?[0-9]{1,2}|[0-9]+[.,][0-9]+E[0-9]{1,2}|[0-9]+(?:[.,][0-9]+)?E[+-][0-9]{1,2})$' then
    if length(plain) > 2000 or strpos(plain, case decimal_sign when ',' then '.' else ',' end) > 0 then return null; end if;
    n := trim_scale(replace(plain, ',', '.')::numeric);
    return case when abs(n) < 1000000000000000000000000000000 and scale(n) <= 30 then n end;
  end if;
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
-- The date a trimmed text says, or blank (core: values/date.parse). part_order: ymd, dmy or mdy.
create function loom.read_date(t text, part_order text) returns date language plpgsql immutable parallel safe as $$
declare
  p int[];
  w text[];
begin
  p := regexp_match(t, '^([0-9]{4})[-/.]([0-9]{1,2})[-/.]([0-9]{1,2})$');
  if p is not null then return loom.date_of(p[1], p[2], p[3]); end if;
  if t ~ '[^0-9./-]' then
    w := regexp_match(lower(t collate "und-x-icu"), '^([0-9]{1,2})(?:st|nd|rd|th)?[. -]* *([a-zäéû]{3,10})\.?,?[ -]+([0-9]{4})$');
    if w is not null then return loom.date_of(w[3]::int, coalesce(loom.month_of(w[2]), 0), w[1]::int); end if;
    w := regexp_match(lower(t collate "und-x-icu"), '^([a-zäéû]{3,10})\.? +([0-9]{1,2})(?:st|nd|rd|th)?,? +([0-9]{4})$');
    if w is not null then return loom.date_of(w[3]::int, coalesce(loom.month_of(w[1]), 0), w[2]::int); end if;
    return null;
  end if;
  if part_order = 'ymd' then return null; end if;
  p := regexp_match(t, '^([0-9]{1,2})[./-]([0-9]{1,2})[./-]([0-9]{4})$');
  if p is null then
    p := regexp_match(t, '^([0-9]{1,2})[./]([0-9]{1,2})[./]([0-9]{2})$');
    if p is null then return null; end if;
    p[3] := p[3] + case when p[3] < 69 then 2000 else 1900 end;
  end if;
  return case part_order when 'dmy' then loom.date_of(p[3], p[2], p[1]) else loom.date_of(p[3], p[1], p[2]) end;
end $$;
--> statement-breakpoint
-- The instant a trimmed text says, or blank (core: values/dateTime.readInstant).
create function loom.read_instant(t text, part_order text, zone text) returns timestamptz language plpgsql immutable parallel safe as $$
declare
  p text[];
  d date;
  shift int;
  at timestamptz;
begin
  p := regexp_match(t, '^([0-9]{4}[-/.][0-9]{1,2}[-/.][0-9]{1,2}|[0-9]{1,2}[./-][0-9]{1,2}[./-][0-9]{4}|[0-9]{1,2}[./][0-9]{1,2}[./][0-9]{2}|[0-9]{1,2}(?:st|nd|rd|th)?[. -]* *[a-zäéû]{3,10}\.?,?[ -]+[0-9]{4}|[a-zäéû]{3,10}\.? +[0-9]{1,2}(?:st|nd|rd|th)?,? +[0-9]{4})(?:(?: +|T|, ?)([0-9]{1,2}):([0-9]{2})(?::([0-9]{2})(?:\.[0-9]{1,9})?)?)? ?(Z|[+-][0-9]{2}:?[0-9]{2})?$', 'i');
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
  p := regexp_match(t, '^([A-Za-z]{3}|[€£$₹]|Kč|Ft|zł)?[ \t]*([-+−]?[0-9.,]+|\( ?[0-9.,]+ ?\))[ \t]*([A-Za-z]{3}|[€£$₹]|Kč|Ft|zł)?$');
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
