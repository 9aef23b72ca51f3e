-- From which row of a log on the entries of a lobby count: a node that has had the lobby before may have
-- entries of that time left, of play that was lost since.
alter table ledger_lobbies add column log_from bigint not null default 0;
