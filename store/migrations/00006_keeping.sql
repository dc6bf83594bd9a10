-- +goose Up
-- What is taken away lies in the bin for a while: binned says since when.
alter table production
  add column sample text not null default '',          -- of the sample production: making, made
  add column binned timestamptz;
alter table sets add column binned timestamptz;
alter table take
  add column binned timestamptz,
  add column turn bigint not null default 0;            -- of whoever renders it: only the newest may write

-- Whose edit it was. Edits from before belong to nobody and can be undone by all.
alter table log
  add column actor text not null default '',
  add column passed boolean not null default false;     -- undo told why it cannot be, and goes on to the one before
create index on log (set_id, id);

-- What a request came to, so that one whose answer was lost can be sent again.
create table request (
  id text primary key,
  production_id text not null references production on delete cascade,
  answer json not null,
  at timestamptz not null default now()
);
create index on request (at);

-- Every blob that is kept, and when it was last put: one that nothing refers to
-- is given back after a while. Blobs from before are entered when they are met.
create table blob (
  hash text primary key,
  bytes bigint not null,
  put timestamptz not null default now()
);

-- +goose Down
drop table blob, request;
alter table log drop column passed, drop column actor;
alter table take drop column turn, drop column binned;
alter table sets drop column binned;
alter table production drop column binned, drop column sample;
