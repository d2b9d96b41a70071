-- +goose Up

-- Files as they were added, in pieces, kept once however often they are added.
create table content (
    hash bytea primary key, -- SHA-256
    size bigint not null
);
create table content_piece (
    hash   bytea not null references content on delete cascade,
    number integer not null,
    body   bytea not null,
    primary key (hash, number)
);
alter table content_piece alter column body set storage external;

create table shelf (
    id         bigint generated always as identity primary key,
    slug       text not null,
    title      text not null,
    settings   jsonb not null,
    state      bigint not null default 0, -- counts what was added and removed
    made_by    text not null,
    made_at    timestamptz not null,
    removed_at timestamptz
);
create unique index shelf_slug on shelf (slug) where removed_at is null;

create table document (
    id         bigint generated always as identity primary key,
    shelf      bigint not null references shelf,
    name       text not null, -- of the file
    source     text not null, -- where it was fetched; empty: it was given
    hash       bytea not null references content,
    size       bigint not null,
    state      text not null check (state in ('waiting', 'reading', 'ready', 'failed')),
    problem    text not null default '',
    reader     integer, -- the instance that reads it
    title      text not null default '',
    format     text not null default '',
    language   text not null default '',
    pages      integer not null default 0,
    words      integer not null default 0,
    passages   integer not null default 0,
    tokens     integer not null default 0,
    seconds    double precision not null default 0,
    blocks     bytea, -- as it was read: JSON, packed
    added_by   text not null,
    added_at   timestamptz not null,
    read_at    timestamptz,
    removed_at timestamptz
);
create unique index document_name on document (shelf, name) where removed_at is null;
create index document_hash on document (shelf, hash) where removed_at is null;
create index document_unread on document (id) where state in ('waiting', 'reading') and removed_at is null;

create table passage (
    document bigint not null references document on delete cascade,
    number   integer not null,
    id       text not null, -- made of what is in it
    path     text[] not null,
    body     text not null,
    spans    jsonb not null,
    size     integer not null,
    primary key (document, number)
);

-- Which state of its shelves a revision was published with.
create table revision_shelf (
    desk     bigint not null references desk,
    revision integer not null,
    shelf    bigint not null references shelf,
    state    bigint not null,
    primary key (desk, revision, shelf)
);
