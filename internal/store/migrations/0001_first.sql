-- +goose Up

-- A desk and its revisions. A revision never changes once it is made.
create table desk (
    id         bigint generated always as identity primary key,
    slug       text not null unique,
    published  integer,
    created_at timestamptz not null default now()
);

create table revision (
    desk    bigint not null references desk on delete cascade,
    number  integer not null,
    file    text not null,
    digest  bytea not null,
    made_by text not null,
    made_at timestamptz not null default now(),
    primary key (desk, number)
);

-- +goose StatementBegin
create function revision_stays() returns trigger language plpgsql as $$
begin
    raise exception 'a revision cannot be changed; publish a new one';
end $$;
-- +goose StatementEnd
create trigger revision_stays before update on revision
    for each row execute function revision_stays();

-- Who asks is known only by the SHA-256 of a cookie or of a token's name.
create table conversation (
    id         uuid primary key,
    desk       bigint not null references desk on delete cascade,
    visitor    bytea not null,
    channel    text not null check (channel in ('page', 'api', 'completions')),
    title      text not null,
    started_at timestamptz not null,
    asked_at   timestamptz not null
);
create index conversation_of_visitor on conversation (visitor, desk, asked_at desc);

-- One question. key is the caller's idempotency key: the same key of the same
-- visitor is the same turn. given holds the messages that a client of the
-- chat-completions protocol sent along instead of a conversation.
create table turn (
    id              uuid primary key,
    conversation    uuid not null references conversation on delete cascade,
    number          integer not null,
    visitor         bytea not null,
    key             text not null,
    question        text not null,
    question_tokens integer not null,
    vocabulary      text not null,
    given           jsonb,
    asked_at        timestamptz not null,
    unique (conversation, number),
    unique (visitor, key)
);

-- One try at replying to a turn. While it runs, instance names the service
-- that makes it (see instance.go) and reply grows. memory_tokens is the
-- reply's length in the vocabulary of the turn.
create table attempt (
    turn          uuid not null references turn on delete cascade,
    number        integer not null,
    revision      integer not null,
    model         text not null,
    state         text not null check (state in ('running', 'done', 'stopped', 'failed', 'interrupted')),
    instance      integer not null,
    reply         text not null default '',
    memory_tokens integer not null default 0,
    finish        text not null default '',
    problem       text not null default '',
    problem_id    text not null default '',
    prompt_tokens integer not null default 0,
    reply_tokens  integer not null default 0,
    started_at    timestamptz not null,
    first_at      timestamptz,
    ended_at      timestamptz,
    primary key (turn, number)
) with (fillfactor = 60);
create index attempt_running on attempt (instance) where state = 'running';

-- Tokens that programs and the command line show. Only the hash is kept.
create table api_token (
    id         bigint generated always as identity primary key,
    name       text not null unique,
    hash       bytea not null unique,
    made_at    timestamptz not null default now()
);

-- +goose Down
drop table api_token, attempt, turn, conversation, revision, desk;
drop function revision_stays();
