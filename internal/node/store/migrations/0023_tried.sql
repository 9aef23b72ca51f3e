-- A text that was only tried in a practice lobby: it was never published, and no list of versions shows it.
alter table rulebooks add column tried boolean not null default false;
create index rulebooks_tried on rulebooks (created_at) where tried;
