-- Which version of its record each change made, so that changes of one moment have an
-- order. Those from before are in the order of their times.
alter table record_changes add column revision bigint not null default 0;
update record_changes c set revision = o.n - 1000000000 from (
    select lobby_id, number, row_number() over (partition by player_id, rulebook order by changed_at, number) as n
    from record_changes) o where o.lobby_id = c.lobby_id and o.number = c.number;
create index record_changes_revision on record_changes (player_id, rulebook, revision desc);
create index players_name on players (lower(name) text_pattern_ops, id);
