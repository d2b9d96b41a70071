-- +goose Up

-- Which attempt at a turn counts; null means the newest.
alter table turn add chosen integer;

-- A removed conversation can be brought back for a while.
alter table conversation add removed_at timestamptz;
create index conversation_removed on conversation (removed_at) where removed_at is not null;

-- +goose Down
alter table conversation drop removed_at;
alter table turn drop chosen;
