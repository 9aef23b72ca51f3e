-- Now and then the state of a lobby is kept with the piece of its journal that led to it, so that
-- what happened is played back from near to it.
alter table ledger_segments add column tick bigint not null default 0, add column state bytea;
alter table ledger_checkpoints add column tick bigint not null default 0;
