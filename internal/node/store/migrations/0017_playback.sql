-- Now and then the state of a lobby is kept with the piece of its journal that led to it, so that
-- what happened is played back from near to it.
alter table ledger_segments add column tick bigint not null default 0, add column state bytea;
alter table ledger_checkpoints add column tick bigint not null default 0;

-- Of a player who is deleted no journal tells who they were: a state holds names, and goes.
create or replace function player_forgotten() returns trigger language plpgsql as $$
begin
    update ledger_segments s set state = null from ledger_people a
        where a.text = old.id::text and s.lobby_id = a.lobby_id and s.state is not null;
    delete from ledger_people n using ledger_people a
        where a.text = old.id::text and n.lobby_id = a.lobby_id and (n.token = a.token or n.of_token = a.token);
    return old;
end
$$;
