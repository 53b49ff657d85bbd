-- Trigrams come with PostgreSQL's own extensions; they find titles by any three letters of theirs, and those that are nearly the same.
create extension if not exists pg_trgm with schema loom;
