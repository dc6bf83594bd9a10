-- +goose Up
-- What a set is made of are documents, all kinds in one table, each as it was written:
-- json and not jsonb, which makes 0 of -0. What is searched by is made of them.
create table document (
  kind text not null,
  id text not null,
  set_id text not null references sets on delete cascade,
  rev bigint not null default 0,
  doc json not null,
  ord integer generated always as ((doc->>'order')::integer) stored,
  piece_id text generated always as (case when kind = 'placement' then nullif(doc->>'piece', '') end) stored
    references piece on delete cascade,
  primary key (kind, id)
);
create index on document (set_id, kind, rev);
create index on document (piece_id);
insert into document (kind, id, set_id, rev, doc)
  select 'placement', id, set_id, rev, json_build_object('id', id, 'piece', coalesce(piece_id, ''), 'standIn', stand_in,
    'size', json_build_object('x', size_x, 'y', size_y, 'z', size_z), 'name', name,
    'at', json_build_object('x', x, 'y', y, 'z', z), 'yaw', yaw, 'pitch', pitch, 'roll', roll,
    'scale', json_build_object('x', scale_x, 'y', scale_y, 'z', scale_z), 'hidden', hidden, 'locked', locked,
    'order', ord, 'layer', layer, 'group', group_id, 'tint', tint, 'recast', recast) from placement;
insert into document (kind, id, set_id, rev, doc)
  select 'element', id, set_id, rev, json_build_object('id', id, 'kind', kind, 'name', name, 'layer', layer,
    'hidden', hidden, 'locked', locked, 'order', ord, 'spec', spec) from element;
insert into document (kind, id, set_id, rev, doc)
  select 'shot', id, set_id, rev, json_build_object('id', id, 'name', name, 'view', view, 'light', light, 'move', move,
    'hide', hide, 'first', first_frame, 'last', last_frame, 'match', match, 'order', ord, 'note', note,
    'status', status) from shot;
drop table placement, element, shot;
alter table sets add column doc json;
update sets set doc = json_build_object('id', id, 'name', name, 'view', view, 'light', light, 'move', move, 'hide', hide,
  'first', first_frame, 'last', last_frame, 'match', match, 'shot', shot_id);
alter table sets alter column doc set not null,
  drop column name, drop column view, drop column light, drop column shot_id, drop column move, drop column hide,
  drop column first_frame, drop column last_frame, drop column match;
alter table sets add column name text generated always as (doc->>'name') stored;
