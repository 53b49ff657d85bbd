-- Days written as eight digits, and amounts with the sign or the brackets of accounts around their currency: the twins
-- of core/fieldTypes/date and money.
create or replace function loom.read_date(t text, part_order text) returns date language plpgsql immutable parallel safe as $$
declare
  p int[];
  w text[];
begin
  p := regexp_match(t, '^([0-9]{4})[-/.]([0-9]{1,2})[-/.]([0-9]{1,2})$');
  if p is null then p := regexp_match(t, '^((?:19|20)[0-9]{2})([0-9]{2})([0-9]{2})$'); end if;
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
create or replace function loom.read_money(t text, decimal_sign text, digits int, wanted text) returns loom.money language plpgsql immutable parallel safe as $$
declare
  plainly text;
  p text[];
  sign text;
  code text;
  amount numeric;
begin
  plainly := regexp_replace(t, '^([-+−])[ \t]*([A-Za-z]{3}|[€£$₹]|Kč|Ft|zł)[ \t]*([0-9.,]+)$', '\2\1\3');
  plainly := regexp_replace(plainly, '^\([ \t]*([A-Za-z]{3}|[€£$₹]|Kč|Ft|zł)?[ \t]*([0-9.,]+)[ \t]*([A-Za-z]{3}|[€£$₹]|Kč|Ft|zł)?[ \t]*\)$', '\1-\2\3');
  p := regexp_match(plainly, '^([A-Za-z]{3}|[€£$₹]|Kč|Ft|zł)?[ \t]*([-+−]?[0-9.,]+|\( ?[0-9.,]+ ?\))[ \t]*([A-Za-z]{3}|[€£$₹]|Kč|Ft|zł)?$');
  if p is null or (p[1] is not null and p[3] is not null) then return null; end if;
  sign := coalesce(p[1], p[3]);
  code := case sign when '€' then 'EUR' when '£' then 'GBP' when '$' then 'USD' when '₹' then 'INR' when 'Kč' then 'CZK' when 'Ft' then 'HUF' when 'zł' then 'PLN' else upper(sign) end;
  amount := loom.whole_to(loom.read_number(p[2], decimal_sign), digits);
  if amount is null or (wanted is not null and code <> wanted) then return null; end if;
  if wanted is null and (code is null or code <> all (array['EUR','GBP','CHF','CZK','DKK','HUF','NOK','PLN','RON','SEK','AUD','CAD','CNY','INR','JPY','NZD','USD','ZAR'])) then return null; end if;
  return row(amount, coalesce(wanted, code))::loom.money;
end $$;
--> statement-breakpoint
-- Sheets say which of their columns hold each value once beside those that may be the key.
update loom.intakes set sheets = (
  select jsonb_agg(case when s ? 'unique' then s else s || jsonb_build_object('unique', s -> 'keys') end order by n)
  from jsonb_array_elements(sheets) with ordinality e(s, n)
) where jsonb_typeof(sheets) = 'array' and jsonb_array_length(sheets) > 0;
