-- How many lobbies there are of each sort, each node says itself, in the row that it renews anyway:
-- there is no row that two nodes change.
drop trigger lobbies_tally on lobbies;
drop function lobby_tally();
drop function lobby_sort(lobbies);
drop table lobby_tallies;
alter table nodes add column tallies jsonb not null default '[]';
