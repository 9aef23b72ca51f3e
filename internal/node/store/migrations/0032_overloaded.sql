-- Nodes that have more to do than they can do in time.
alter table nodes add column overloaded boolean not null default false;
