-- Players whose texts reach nobody, as nodes follow them.
create table mutes (
    player_id uuid primary key references players (id) on delete cascade,
    until     timestamptz,
    tell      text not null default '',
    mark      bigint not null default 0
);
create index mutes_mark on mutes (mark) where mark > 0;
create trigger mutes_marked before insert or update on mutes for each row execute function marked();
create trigger mutes_buried after delete on mutes for each row execute function buried('mutes', 'player_id');

-- What a text that a player has written says is looked up by nobody.
drop index ledger_people_text;
create index ledger_people_text on ledger_people (text) where token like 'a%';
create or replace function player_forgotten() returns trigger language plpgsql as $$
begin
    update ledger_segments s set state = null from ledger_people a
        where a.text = old.id::text and a.token like 'a%' and s.lobby_id = a.lobby_id and s.state is not null;
    delete from ledger_people n using ledger_people a
        where a.text = old.id::text and a.token like 'a%' and n.lobby_id = a.lobby_id
        and (n.token = a.token or n.of_token = a.token);
    return old;
end
$$;
