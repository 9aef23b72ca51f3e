-- The transaction that changed each record last, by which nodes learn what others did.
alter table records add column mark bigint not null default 0;
create index records_mark on records (mark) where mark > 0;
create function record_marked() returns trigger language plpgsql as $$
begin
    new.mark = pg_current_xact_id()::text::bigint;
    return new;
end
$$;
create trigger records_marked before insert or update on records for each row execute function record_marked();
