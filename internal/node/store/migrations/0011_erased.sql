-- What operators did to the entries of a deleted player stays, but not whose they were.
create or replace function player_deleted() returns trigger language plpgsql as $$
begin
    update board_entries set removed = true, value = 0, match = null, version = version + 1,
        mark = pg_current_xact_id()::text::bigint where subject = old.id;
    delete from board_posts where subject = old.id;
    update board_acts set subject = null where subject = old.id;
    update matches m set result = jsonb_set(jsonb_set(m.result, '{players}', coalesce((
            select jsonb_agg(case when p ->> 'player' = old.id::text
                then p || '{"player": "", "name": "(erased)"}' else p end order by n)
            from jsonb_array_elements(m.result -> 'players') with ordinality as each (p, n)), '[]')),
            '{posts}', coalesce((
            select jsonb_agg(p) from jsonb_array_elements(
                case jsonb_typeof(m.result -> 'posts') when 'array' then m.result -> 'posts' else '[]' end) as p
            where p ->> 'player' is distinct from old.id::text), '[]'))
        from match_players x where x.player_id = old.id and m.id = x.match_id and m.ended_at = x.ended_at;
    delete from match_players where player_id = old.id;
    return old;
end
$$;
create index board_acts_subject on board_acts (subject) where subject is not null;
