-- What reads go through.

-- Trigrams come with PostgreSQL's own extensions; they find titles by any three letters of theirs, and those that are
-- nearly the same.
create extension if not exists pg_trgm with schema loom;
--> statement-breakpoint
-- Values that wait: not settled by a change that stands, and not overtaken by one that filled the field or deleted the
-- record.
create view loom.open_set_aside as
  select a.* from loom.set_aside a
  where (
      a.settled_by is null
      or exists (select from loom.batches b where b.id = a.settled_by and b.undone_by is not null)
    )
    and not exists (
      select from loom.history h
      join loom.batches b on b.id = h.batch
      where h.table_id = a.table_id and h.first_id = a.record_id and h.last_id = a.record_id
        and h.batch > a.batch and b.undone_by is null
        and (h.kind = 'deleted' or h.after ->> a.field_id is not null)
    );
