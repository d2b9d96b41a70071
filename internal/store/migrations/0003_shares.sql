-- +goose Up

-- What the link of a shared conversation ends with; null: it is not shared.
alter table conversation add share text unique;

-- +goose Down
alter table conversation drop share;
