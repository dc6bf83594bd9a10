-- +goose Up
-- What a production keeps at hand beside its pieces: panoramas with their pictures, and lamps of its own.
create table shelf (
  id text primary key,
  production_id text not null references production on delete cascade,
  kind text not null,
  name text not null,
  doc json not null,
  created timestamptz not null default now()
);
create index on shelf (production_id, kind);

-- +goose Down
drop table shelf;
