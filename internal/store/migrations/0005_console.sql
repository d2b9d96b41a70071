-- +goose Up

-- Who may use the console. The password is hashed with argon2id.
create table account (
    id       bigint generated always as identity primary key,
    name     text not null unique,
    password text not null,
    made_at  timestamptz not null default now()
);

-- A signed-in browser. Only the cookie's hash is kept.
create table session (
    id         bigint generated always as identity primary key,
    hash       bytea not null unique,
    account    bigint not null references account on delete cascade,
    browser    text not null,
    made_at    timestamptz not null,
    seen_at    timestamptz not null,
    expires_at timestamptz not null
);

-- The one-time link that makes the first account; only its hash.
create table first_link (
    hash    bytea primary key,
    made_at timestamptz not null
);

alter table api_token add scopes text[] not null default '{ask,read,publish,manage}';
alter table api_token add used_at timestamptz;
alter table api_token add expires_at timestamptz;
-- A removed token is worthless; for a while it can be brought back.
alter table api_token add removed_at timestamptz;

-- A desk file that is being worked on. good is the last text that had no
-- mistakes: what a preview shows.
create table draft (
    desk       bigint primary key references desk on delete cascade,
    file       text not null,
    good       text,
    changed_by text not null,
    changed_at timestamptz not null
);
alter table revision add note text not null default '';

alter table conversation drop constraint conversation_channel_check;
alter table conversation add check (channel in ('page', 'preview', 'api', 'completions'));

-- Connections that were made in the console, beside those of the connection
-- file. settings is a connection of that file as JSON; key is encrypted.
create table connection (
    name       text primary key,
    settings   jsonb not null,
    key        bytea,
    changed_by text not null,
    changed_at timestamptz not null,
    removed_at timestamptz
);

-- Whether a visitor says that a reply helped.
alter table attempt add helped boolean;
create index attempt_judged on attempt (turn) where helped is not null;

-- What a desk was asked since a time.
create index conversation_of_desk on conversation (desk, asked_at desc);

-- +goose Down
drop index conversation_of_desk;
alter table attempt drop helped;
drop table connection;
alter table revision drop note;
drop table draft;
alter table api_token drop scopes, drop used_at, drop expires_at, drop removed_at;
drop table first_link, session, account;
