-- What the formula language needs of PostgreSQL. Each function has a twin in src/lib/core that gives the same to the
-- digit; the tests hold them against each other. None of them raises an error.

-- a / b to 20 significant digits, at most 40 decimals, half away from zero; blank for b = 0 (core: numbers.divide).
create function loom.div(a numeric, b numeric) returns numeric language sql immutable parallel safe as $$
  select case when b <> 0 then trim_scale(round(
    to_char(round(a, greatest(60, scale(a))) / b, '9.9999999999999999999EEEE')::numeric, 40)) end
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
-- A number to 20 significant digits, at most 40 decimals (core: powers.significant).
create function loom.significant(x numeric) returns numeric language sql immutable parallel safe as $$
  select trim_scale(round(to_char(x, '9.9999999999999999999EEEE')::numeric, 40))
$$;
--> statement-breakpoint
create function loom.square_root(x numeric) returns numeric language sql immutable parallel safe as $$
  select case when x >= 0 then loom.significant(sqrt(round(x, greatest(80, scale(x))))) end
$$;
--> statement-breakpoint
-- Beyond e^200 no number is of use here: blank; below e^-200 it is 0 to 40 decimals.
create function loom.exponential(x numeric) returns numeric language sql immutable parallel safe as $$
  select case when x < -200 then 0 when x <= 200 then loom.significant(exp(round(x, 80))) end
$$;
--> statement-breakpoint
create function loom.natural_log(x numeric) returns numeric language sql immutable parallel safe as $$
  select case when x > 0 then loom.significant(ln(round(x, greatest(80, scale(x))))) end
$$;
--> statement-breakpoint
create function loom.log_to(base numeric, x numeric) returns numeric language sql immutable parallel safe as $$
  select case when x > 0 and base > 0 and base <> 1
    then loom.significant(round(ln(round(x, greatest(80, scale(x)))), 80) / round(ln(round(base, greatest(80, scale(base)))), 80)) end
$$;
--> statement-breakpoint
-- x to the power of y: of a negative x for whole y only; blank where it has no value or is beyond e^200.
create function loom.power_of(x numeric, y numeric) returns numeric language plpgsql immutable parallel safe as $$
declare
  turned numeric;
  made numeric;
begin
  if x is null or y is null then return null; end if;
  if y = 0 then return 1; end if;
  if x = 0 then return case when y > 0 then 0 end; end if;
  if x < 0 and y <> trunc(y) then return null; end if;
  turned := round(y * round(ln(round(abs(x), greatest(80, scale(x)))), 80), 80);
  if turned > 200 then return null; end if;
  made := case when turned < -200 then 0 else loom.significant(exp(turned)) end;
  return case when x < 0 and mod(y, 2) <> 0 then -made else made end;
end $$;
--> statement-breakpoint
-- Away from zero to this many places (core: numbers.roundAway).
create function loom.round_up(x numeric, places numeric) returns numeric language sql immutable parallel safe as $$
  select case when trunc(x, p) = x then x else trunc(x, p) + sign(x) * ('1e' || (-p))::numeric end from (select loom.clamp(places, 30)::int as p) c
$$;
--> statement-breakpoint
-- Each first letter of a run of letters in capitals, the others small; a letter is what has two cases.
create function loom.proper(t text) returns text language sql immutable parallel safe as $$
  select case when t is not null then coalesce(string_agg(case when cased and not coalesce(before, false) then loom.upper(c) else loom.lower(c) end, '' order by i), '') end
  from (select c, i, cased, lag(cased) over (order by i) as before
    from (select c, i, (loom.lower(c) <> loom.upper(c)) as cased from regexp_split_to_table(t, '') with ordinality s(c, i)) l) l
$$;
--> statement-breakpoint
-- A number as text: so many decimals, at least so many digits before them, with commas between thousands or without.
create function loom.number_text(x numeric, decimals int, fewest int, grouped boolean) returns text language sql immutable strict parallel safe as $$
  select case when rounded < 0 then '-' else '' end
    || case when grouped then reverse(regexp_replace(reverse(digits), '([0-9]{3})(?=[0-9])', '\1,', 'g')) else digits end
    || case when decimals > 0 then '.' || split_part(abs(rounded)::text, '.', 2) else '' end
  from (select round(x, decimals) as rounded) r, lateral (select split_part(abs(rounded)::text, '.', 1) as whole) w,
    lateral (select case when length(whole) < fewest then lpad(whole, fewest, '0') when fewest = 0 and whole = '0' and decimals > 0 then '' else whole end as digits) d
$$;
--> statement-breakpoint
-- A number by a pattern of 0 # , . %; blank when the pattern is none (core: formats.numberByPattern).
create function loom.number_by_pattern(x numeric, pattern text) returns text language sql immutable parallel safe as $$
  select case when m is not null then m[1] || loom.number_text(case when m[5] = '%' then x * 100 else x end, length(coalesce(m[4], '')), length(replace(replace(m[2], '#', ''), ',', '')), strpos(m[2], ',') > 0) || m[5] || m[6] end
  from (select regexp_match(pattern, '^([^#0,.%]*)([#0,]+)(\.(0{1,30}))?(%?)([^#0,.%]*)$') as m) p
$$;
--> statement-breakpoint
-- A day by a pattern of yyyy yy mm m dd d; all else stands as it is.
create function loom.date_by_pattern(d date, pattern text) returns text language sql immutable parallel safe as $$
  select case when d is not null and pattern is not null then coalesce(string_agg(case lower(m[1])
    when 'yyyy' then to_char(d, 'YYYY') when 'yy' then to_char(d, 'YY') when 'mm' then to_char(d, 'MM') when 'm' then to_char(d, 'FMMM')
    when 'dd' then to_char(d, 'DD') when 'd' then to_char(d, 'FMDD') else m[2] end, '' order by i), '') end
  from regexp_matches(pattern, '(yyyy|yy|mm|m|dd|d)|(.)', 'gi') with ordinality s(m, i)
$$;
--> statement-breakpoint
create function loom.shift_months(d date, n numeric) returns date language sql immutable parallel safe as $$
  select case when abs(n) < 200000 then loom.shift_interval(d, make_interval(months => trunc(n)::int)) end
$$;
--> statement-breakpoint
create function loom.month_end(d date, n numeric) returns date language sql immutable parallel safe as $$
  select (date_trunc('month', loom.shift_months(d, n)) + interval '1 month' - interval '1 day')::date
$$;
--> statement-breakpoint
-- Mondays to Fridays among the first n days since Monday, 0001-01-01.
create function loom.working_days(n bigint) returns bigint language sql immutable parallel safe as $$
  select n / 7 * 5 + least(n % 7, 5)
$$;
--> statement-breakpoint
create function loom.net_work_days(a date, b date) returns numeric language sql immutable parallel safe as $$
  select case when b >= a then loom.working_days((b - date '0001-01-01') + 1) - loom.working_days(a - date '0001-01-01')
    else loom.working_days(b - date '0001-01-01') - loom.working_days((a - date '0001-01-01') + 1) end::numeric
$$;
--> statement-breakpoint
-- The n-th working day after d (before it, when n is negative); d itself for 0; blank outside the years 1 to 9999.
create function loom.work_day(d date, n numeric) returns date language sql immutable parallel safe as $$
  select case when trunc(n) = 0 then d when abs(n) <= 4000000 and k >= 1 then loom.shift_days(date '0001-01-01', (k - 1) / 5 * 7 + (k - 1) % 5) end
  from (select case when n > 0 then loom.working_days((d - date '0001-01-01') + 1) + trunc(n)::bigint
    else loom.working_days(d - date '0001-01-01') + trunc(n)::bigint + 1 end as k where abs(n) <= 4000000) w
$$;
--> statement-breakpoint
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
