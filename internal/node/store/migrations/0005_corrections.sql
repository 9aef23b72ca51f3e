-- Who changed a record, where it was no match, and why.
alter table record_changes add column author text not null default '';
alter table record_changes add column why text not null default '';
