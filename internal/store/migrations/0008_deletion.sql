-- +goose Up

-- What every question writes goes with what it belongs to by triggers, as
-- traces do. Foreign keys look up and lock what is belonged to, the desk among
-- it, for every row that is written: a fifth of what the database did for a
-- reply. The rows are written together with what they belong to (Ask), or
-- while it is locked (AskAgain).
alter table conversation drop constraint conversation_desk_fkey;
alter table turn drop constraint turn_conversation_fkey;
alter table attempt drop constraint attempt_turn_fkey;
alter table turn_words drop constraint turn_words_turn_fkey;

-- +goose StatementBegin
create function desk_goes() returns trigger language plpgsql as $$
begin
    delete from conversation where desk = old.id;
    return null;
end $$;
-- +goose StatementEnd
create trigger desk_goes after delete on desk for each row execute function desk_goes();

-- +goose StatementBegin
create function conversation_goes() returns trigger language plpgsql as $$
begin
    delete from turn where conversation = old.id;
    return null;
end $$;
-- +goose StatementEnd
create trigger conversation_goes after delete on conversation for each row execute function conversation_goes();

-- +goose StatementBegin
create or replace function turn_goes() returns trigger language plpgsql as $$
begin
    delete from attempt where turn = old.id;
    delete from turn_words where turn = old.id;
    delete from trace where turn = old.id;
    return null;
end $$;
-- +goose StatementEnd

-- +goose Down
drop trigger desk_goes on desk;
drop function desk_goes();
drop trigger conversation_goes on conversation;
drop function conversation_goes();
-- +goose StatementBegin
create or replace function turn_goes() returns trigger language plpgsql as $$
begin
    delete from trace where turn = old.id;
    return null;
end $$;
-- +goose StatementEnd
alter table conversation add foreign key (desk) references desk on delete cascade;
alter table turn add foreign key (conversation) references conversation on delete cascade;
alter table attempt add foreign key (turn) references turn on delete cascade;
alter table turn_words add foreign key (turn) references turn on delete cascade;
