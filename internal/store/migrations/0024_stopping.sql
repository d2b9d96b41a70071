-- +goose Up

-- Somebody wants an attempt stopped that another instance makes.
alter table attempt add column stopping boolean not null default false;

-- Written to find out whether anything can be.
create table beat (
    id boolean primary key default true check (id),
    at timestamptz not null
);

create index attempt_failed on attempt (started_at) where state = 'failed';

-- +goose Down
drop index attempt_failed;
drop table beat;
alter table attempt drop column stopping;
