-- A piece of a journal may be missing, where the database was away for so long that there was no
-- room for it: the row says so, and holds the state from which the journal goes on.
alter table ledger_segments add column missing boolean not null default false;
