-- +goose Up

-- What a visitor attaches to a conversation is on a shelf of its own, which
-- nobody else sees and which goes with the conversation.
alter table shelf add conversation uuid unique;
alter table shelf add visitor bytea;
alter table shelf add desk bigint;
create index document_content on document (hash);

-- +goose StatementBegin
create function attached_goes() returns trigger language plpgsql as $$
declare
    hashes bytea[] := array(select hash from document where shelf = old.id);
begin
    delete from document where shelf = old.id;
    delete from content c where hash = any(hashes) and not exists (select from document where hash = c.hash);
    return old;
end $$;
-- +goose StatementEnd
create trigger attached_goes before delete on shelf for each row when (old.conversation is not null) execute function attached_goes();

-- +goose StatementBegin
create or replace function conversation_goes() returns trigger language plpgsql as $$
begin
    delete from turn where conversation = old.id;
    delete from shelf where conversation = old.id;
    return null;
end $$;
-- +goose StatementEnd

-- +goose Down
delete from shelf where conversation is not null;
drop trigger attached_goes on shelf;
drop function attached_goes();
-- +goose StatementBegin
create or replace function conversation_goes() returns trigger language plpgsql as $$
begin
    delete from turn where conversation = old.id;
    return null;
end $$;
-- +goose StatementEnd
drop index document_content;
alter table shelf drop conversation, drop visitor, drop desk;
