-- +goose Up

-- Somebody wants an attempt stopped that another instance makes.
alter table attempt add column stopping boolean not null default false;

-- +goose Down
alter table attempt drop column stopping;
