-- Each row that other nodes follow bears the number of the transaction that changed it last.
create function marked() returns trigger language plpgsql as $$
begin
    new.mark = pg_current_xact_id()::text::bigint;
    return new;
end
$$;
drop trigger records_marked on records;
drop function record_marked();
create trigger records_marked before insert or update on records for each row execute function marked();

alter table lobbies add column mark bigint not null default 0;
create index lobbies_mark on lobbies (mark) where mark > 0;
create trigger lobbies_marked before insert or update on lobbies for each row execute function marked();
drop index lobbies_changed;

alter table rulebooks add column mark bigint not null default 0;
create index rulebooks_mark on rulebooks (mark) where mark > 0;
create trigger rulebooks_marked before insert or update on rulebooks for each row execute function marked();

alter table voided add column mark bigint not null default 0;
create index voided_mark on voided (mark) where mark > 0;
create trigger voided_marked before insert on voided for each row execute function marked();

-- A row that was deleted leaves the key by which nodes follow it, for an hour.
create table tombstones (
    topic text not null,
    key   text not null,
    mark  bigint not null default pg_current_xact_id()::text::bigint,
    at    timestamptz not null default clock_timestamp()
);
create index tombstones_mark on tombstones (mark);
create index tombstones_at on tombstones (at);
create function buried() returns trigger language plpgsql as $$
declare
    gone jsonb := to_jsonb(old);
    key  text := gone ->> tg_argv[1];
begin
    for n in 2 .. tg_nargs - 1 loop
        key := key || ' ' || (gone ->> tg_argv[n]);
    end loop;
    insert into tombstones (topic, key) values (tg_argv[0], key);
    return null;
end
$$;
create trigger lobbies_buried after delete on lobbies for each row 
    execute function buried('lobbies', 'node', 'code', 'id');
create trigger players_buried after delete on players for each row execute function buried('players', 'id');
create trigger records_buried after delete on records for each row
    execute function buried('records', 'player_id', 'rulebook');
create trigger entries_buried after delete on board_entries for each row
    execute function buried('entries', 'season', 'subject');
