-- When a node took a lobby with everything that was known of it; null for one that was given, whose checkpoint
-- holds everything. No time passed for it since then if it was never alive there.
alter table ledger_lobbies add column taken_at timestamptz;
