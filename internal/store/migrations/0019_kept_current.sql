-- +goose Up

-- Since when a document is as what it is a copy of, when it is to be looked at next, and why
-- it could not be last.
alter table document add column looked_at timestamptz, add column look_next timestamptz,
    add column look_problem jsonb not null default '{}';

-- +goose Down
alter table document drop column looked_at, drop column look_next, drop column look_problem;
