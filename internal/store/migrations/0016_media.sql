-- +goose Up

-- What turns hold beside words: pictures, and other kinds to come. Each lies once
-- under its hash beside documents, and goes with its conversation.
create table media (
    id           uuid primary key,
    class        text not null, -- picture
    kind         text not null, -- a media type
    hash         bytea not null references content,
    size         bigint not null,
    width        integer not null,
    height       integer not null,
    small        bytea not null references content, -- the same, small
    name         text not null,
    said         text not null, -- what it shows, in words
    note         jsonb,         -- what of the file is not in it
    origin       text not null, -- given, made, step or mask
    conversation uuid not null,
    desk         bigint not null,
    visitor      bytea not null,
    turn         uuid,  -- by which it was made
    added_at     timestamptz not null,
    put_away_at  timestamptz, -- it is not asked about any more
    removed_at   timestamptz,
    made         jsonb -- of what, with what, for how much
);
create index media_conversation on media (conversation, added_at);
create index media_gallery on media (visitor, desk, added_at desc);
create index media_model on media ((made ->> 'model'), added_at desc) where origin = 'made';
create index media_hash on media (hash);
create index media_small on media (small);

-- The same as a model takes it.
create table media_as (
    media  uuid not null references media on delete cascade,
    wanted text not null,
    kind   text not null,
    hash   bytea not null references content,
    size   bigint not null,
    width  integer not null,
    height integer not null,
    primary key (media, wanted)
);
create index media_as_hash on media_as (hash);

alter table turn add media uuid[]; -- that it was asked with
alter table model_call add pictures integer not null default 0; -- that it made
create index media_turn on media (turn) where turn is not null;

alter table trace drop constraint trace_kind_check;
alter table trace add constraint trace_kind_check check (kind in ('reply', 'summary', 'rerun', 'direct', 'description'));

-- Content that nothing needs any more goes.
-- +goose StatementBegin
create function content_goes(hashes bytea[]) returns void language sql as $$
    delete from content c where hash = any(hashes)
        and not exists (select from document where hash = c.hash)
        and not exists (select from media where hash = c.hash)
        and not exists (select from media where small = c.hash)
        and not exists (select from media_as where hash = c.hash);
$$;
-- +goose StatementEnd

-- +goose StatementBegin
create function media_goes() returns trigger language plpgsql as $$
begin
    perform content_goes(array[old.hash, old.small]);
    return null;
end $$;
-- +goose StatementEnd
create trigger media_goes after delete on media for each row execute function media_goes();

-- +goose StatementBegin
create function media_as_goes() returns trigger language plpgsql as $$
begin
    perform content_goes(array[old.hash]);
    return null;
end $$;
-- +goose StatementEnd
create trigger media_as_goes after delete on media_as for each row execute function media_as_goes();

-- +goose StatementBegin
create or replace function attached_goes() returns trigger language plpgsql as $$
declare
    hashes bytea[] := array(select hash from document where shelf = old.id);
begin
    delete from document where shelf = old.id;
    perform content_goes(hashes);
    return old;
end $$;
-- +goose StatementEnd

-- +goose StatementBegin
create or replace function conversation_goes() returns trigger language plpgsql as $$
begin
    delete from turn where conversation = old.id;
    delete from errand where conversation = old.id;
    delete from shelf where conversation = old.id;
    delete from media where conversation = old.id;
    return null;
end $$;
-- +goose StatementEnd

-- +goose Down
delete from trace where kind = 'description';
alter table trace drop constraint trace_kind_check;
alter table trace add constraint trace_kind_check check (kind in ('reply', 'summary', 'rerun', 'direct'));
-- +goose StatementBegin
create or replace function conversation_goes() returns trigger language plpgsql as $$
begin
    delete from turn where conversation = old.id;
    delete from errand where conversation = old.id;
    delete from shelf where conversation = old.id;
    return null;
end $$;
-- +goose StatementEnd
-- +goose StatementBegin
create or replace function attached_goes() returns trigger language plpgsql as $$
declare
    hashes bytea[] := array(select hash from document where shelf = old.id);
begin
    delete from document where shelf = old.id;
    delete from content c where hash = any(hashes) and not exists (select from document where hash = c.hash);
    return old;
end $$;
-- +goose StatementEnd
delete from media;
drop table media_as, media;
drop function media_goes(), media_as_goes(), content_goes(bytea[]);
alter table turn drop media;
alter table model_call drop pictures;
