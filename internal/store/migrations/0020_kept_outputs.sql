-- +goose Up

-- Outputs of steps that recipes say are kept for long: what was paid for once need not be
-- again, also by another instance. What rests on a visitor's own documents belongs to their
-- conversation, and goes with it; the zero id is that of what belongs to none.
create table kept_output (
    key          bytea not null,
    conversation uuid not null default '00000000-0000-0000-0000-000000000000',
    outputs      jsonb not null,
    made_at      timestamptz not null,
    until        timestamptz not null,
    primary key (key, conversation)
);
create index kept_output_until on kept_output (until);
create index kept_output_conversation on kept_output (conversation)
    where conversation <> '00000000-0000-0000-0000-000000000000';

-- +goose StatementBegin
create function kept_goes() returns trigger language plpgsql as $$
begin
    delete from kept_output where conversation = old.id;
    return null;
end $$;
-- +goose StatementEnd
create trigger kept_goes after delete on conversation for each row execute function kept_goes();

-- +goose Down
drop trigger kept_goes on conversation;
drop function kept_goes;
drop table kept_output;
