-- How often each record was changed, so that of two that are told the newer is known.
alter table records add column version bigint not null default 0;
