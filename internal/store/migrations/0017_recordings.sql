-- +goose Up

-- Recordings that visitors gave, with what was heard in them.
create table recording (
    id           uuid primary key,
    conversation uuid not null,
    desk         bigint not null,
    visitor      bytea not null,
    name         text not null,
    kind         text not null, -- of the file that was given, as people call it
    kept         boolean not null default true, -- the sound is there
    size         bigint not null, -- of the sound, as FLAC
    seconds      double precision not null,
    loudness     bytea not null, -- a byte for every fiftieth of a second
    note         jsonb not null default '{}', -- what of the file is not in it
    source       text not null default '', -- the address that it came from
    added_at     timestamptz not null,
    keep_until   timestamptz, -- null: as long as the conversation
    state        text not null check (state in ('given', 'working', 'ready', 'partly', 'failed', 'stopped')),
    problem      jsonb not null default '{}',
    wishes       jsonb not null default '{}',
    model        text not null default '', -- connection/name
    attempt      integer not null default 0,
    runner       integer not null default 0, -- the instance that works
    begun_at     timestamptz,
    ended_at     timestamptz,
    language     text not null default '',
    heard        jsonb, -- sentences as they were heard
    put_right    jsonb not null default '{}', -- by the places of sentences
    document     bigint, -- its text on the conversation's shelf
    cost         double precision not null default 0,
    version      bigint not null default 1 -- grows with every change
);
create index recording_conversation on recording (conversation, added_at);
create index recording_working on recording (runner) where state = 'working';
create index recording_keep on recording (keep_until) where keep_until is not null and kept;

-- The sound itself lies apart from all other files: once it is deleted the table is
-- written anew, so that its bytes are nowhere in it.
create table recording_sound (
    recording uuid not null references recording on delete cascade,
    number    integer not null,
    body      bytea not null,
    primary key (recording, number)
);
alter table recording_sound alter body set storage external;

create table recording_piece (
    recording uuid not null references recording on delete cascade,
    number    integer not null,
    starts    double precision not null,
    ends      double precision not null,
    cut       double precision not null,
    clean     boolean not null,
    state     text not null check (state in ('waiting', 'done', 'failed')),
    problem   jsonb not null default '{}',
    words     jsonb, -- that were heard; times are of the piece
    language  text not null default '',
    calls     jsonb, -- how models were asked
    primary key (recording, number)
);

-- Texts as they were spoken, once per text and voice.
create table spoken (
    key       bytea primary key, -- of text, model, voice and speed
    kind      text not null,
    hash      bytea not null references content,
    size      bigint not null,
    used_at   timestamptz not null
);
create index spoken_hash on spoken (hash);

alter table model_call add sound_seconds double precision not null default 0;
alter table trace drop constraint trace_kind_check;
alter table trace add constraint trace_kind_check
    check (kind in ('reply', 'summary', 'rerun', 'direct', 'description', 'hearing', 'speaking'));

-- +goose StatementBegin
create or replace function content_goes(hashes bytea[]) returns void language sql as $$
    delete from content c where hash = any(hashes)
        and not exists (select from document where hash = c.hash)
        and not exists (select from media where hash = c.hash)
        and not exists (select from media where small = c.hash)
        and not exists (select from media_as where hash = c.hash)
        and not exists (select from spoken where hash = c.hash);
$$;
-- +goose StatementEnd

-- +goose StatementBegin
create function spoken_goes() returns trigger language plpgsql as $$
begin
    perform content_goes(array[old.hash]);
    return null;
end $$;
-- +goose StatementEnd
create trigger spoken_goes after delete on spoken for each row execute function spoken_goes();

-- +goose StatementBegin
create or replace function conversation_goes() returns trigger language plpgsql as $$
begin
    delete from turn where conversation = old.id;
    delete from errand where conversation = old.id;
    delete from shelf where conversation = old.id;
    delete from media where conversation = old.id;
    delete from recording where conversation = old.id;
    return null;
end $$;
-- +goose StatementEnd

-- +goose Down
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
delete from recording;
delete from spoken;
drop table recording_piece, recording_sound, recording, spoken;
drop function spoken_goes();
-- +goose StatementBegin
create or replace function content_goes(hashes bytea[]) returns void language sql as $$
    delete from content c where hash = any(hashes)
        and not exists (select from document where hash = c.hash)
        and not exists (select from media where hash = c.hash)
        and not exists (select from media where small = c.hash)
        and not exists (select from media_as where hash = c.hash);
$$;
-- +goose StatementEnd
alter table model_call drop sound_seconds;
delete from trace where kind in ('hearing', 'speaking');
alter table trace drop constraint trace_kind_check;
alter table trace add constraint trace_kind_check check (kind in ('reply', 'summary', 'rerun', 'direct', 'description'));
