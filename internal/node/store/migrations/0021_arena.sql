-- Where a lobby plays, or will play next; empty where its rulebook has one ground or none.
alter table lobbies add column arena text not null default '';
