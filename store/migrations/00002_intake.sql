-- +goose Up
alter table arrival
  add column files jsonb not null default '[]',      -- path, blob and bytes of each file, when it came as a folder
  add column found jsonb,                            -- the models in it, side by side; null until it was opened
  add column taking jsonb not null default '[]',     -- which of them are taken, as which pieces
  add column credit jsonb not null default '{}',     -- what the texts in it tell
  add column for_piece text not null default '',     -- a piece that its maps are meant for
  add column pictures integer not null default 0,    -- picture files in it
  add column job_id bigint,
  add column fetching text not null default '';         -- a supplier's file that is still to be fetched

alter table piece
  add column recipe jsonb not null default '{}',     -- what was decided about parts, repairs and maps
  add column credit jsonb not null default '{}',
  add column tags jsonb not null default '[]',
  add column favourite boolean not null default false,
  add column inventory jsonb not null default '{}',  -- what is in it as it came
  add column news jsonb,                             -- what changed with its newest version
  add column made text not null default '',          -- digest of what its model was made from
  add column making text not null default '',        -- what is being done to it; empty: it is ready
  add column picture text not null default '',       -- blob of a small picture
  add column weight jsonb not null default '{}';

-- What was made of one source by one recipe, so that going back is at once.
create table made (
  digest text primary key,
  result jsonb not null,
  created timestamptz not null default now()
);

-- +goose Down
drop table made;
alter table piece drop column weight, drop column picture, drop column making, drop column made, drop column news, drop column inventory, drop column favourite, drop column tags, drop column credit, drop column recipe;
alter table arrival drop column fetching, drop column job_id, drop column pictures, drop column for_piece, drop column credit, drop column taking, drop column found, drop column files;
