-- When a node took the lobby with everything that was known of it; null once it has written a state of its own, and
-- for one that was given, whose state holds everything. No time passes for a lobby from then until it is alive.
alter table ledger_checkpoints add column taken_at timestamptz;
