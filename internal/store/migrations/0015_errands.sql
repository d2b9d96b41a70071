-- +goose Up

-- What visitors had a desk bring is kept on a tray, a shelf of the desk's that is
-- listed to nobody, or of one visitor's at the desk: a work by its own address.
alter table shelf add tray boolean not null default false;
create unique index shelf_tray on shelf (desk, coalesce(visitor, ''::bytea)) where tray and removed_at is null;

create table work (
    id         bigint generated always as identity primary key,
    shelf      bigint not null references shelf on delete cascade, -- the tray
    address    text not null,
    kind       text not null,
    name       text not null,
    version    text not null,
    dated      timestamptz,
    bytes      bigint not null,
    fetched_at timestamptz not null,
    checked_at timestamptz not null,
    unique (shelf, address)
);
-- The files of a work as it is now; of older versions it is null.
alter table document add work bigint;
-- How a document begins, and its headings: what is shown of it before it is asked about.
alter table document add beginning text not null default '';
alter table document add headings text[] not null default '{}';
create index document_work on document (work) where work is not null;

-- Which works a wish led to, so that the same wish need not be looked up again.
create table led_to (
    shelf      bigint not null references shelf on delete cascade,
    wish       text not null, -- its kind, the source and the words
    works      bigint[] not null,
    nearest    boolean not null,
    left_out   integer not null,
    looked_at  timestamptz not null,
    primary key (shelf, wish)
);

create table errand (
    id           uuid primary key,
    conversation uuid not null,
    visitor      bytea not null,
    desk         bigint not null,
    kind         text not null check (kind in ('address', 'topic', 'search', 'document')),
    source       text not null,  -- the address of the encyclopedia or repository
    wanted       text not null,  -- as the visitor wrote it, without a password
    most         integer not null,
    private      boolean not null default false, -- makers do not see what was wanted
    state        text not null check (state in ('running', 'choose', 'ready', 'failed', 'stopped')),
    problem      jsonb not null default '{}',
    meanings     jsonb not null default '[]',
    nearest      boolean not null default false,
    left_out     integer not null default 0,
    total        integer not null default 0, -- works to be brought
    brought      integer not null default 0, -- of them are there
    kept         integer not null default 0, -- of them were there before
    failed       jsonb not null default '[]', -- of the others: name and problem
    bytes        bigint not null default 0,
    seconds      double precision not null default 0,
    tokens       bigint not null default 0, -- that a model embedded
    cost         double precision not null default 0,
    runner       integer, -- the instance that runs it
    made_at      timestamptz not null,
    ended_at     timestamptz,
    put_away_at  timestamptz
);
create index errand_conversation on errand (conversation, made_at);
create index errand_running on errand (id) where state = 'running';
create index errand_made on errand (desk, made_at);

create table errand_document (
    errand   uuid not null references errand on delete cascade,
    document bigint not null references document on delete cascade,
    position integer not null,
    primary key (errand, document)
);
create index errand_document_of on errand_document (document);

-- What was wanted at a desk, by day; it outlives the errands, and says nothing of
-- who wanted it.
create table wanted (
    desk    bigint not null,
    day     date not null,
    kind    text not null,
    source  text not null,
    name    text not null, -- under which it was found, else as it was wanted
    address text not null,
    found   boolean not null,
    times   integer not null,
    fetched integer not null, -- of them were not there already
    bytes   bigint not null,
    seconds double precision not null,
    tokens  bigint not null,
    cost    double precision not null,
    primary key (desk, day, kind, source, name, found)
);

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
create or replace function desk_goes() returns trigger language plpgsql as $$
begin
    delete from conversation where desk = old.id;
    delete from errand where desk = old.id;
    delete from wanted where desk = old.id;
    delete from shelf where desk = old.id and tray;
    return null;
end $$;
-- +goose StatementEnd
drop trigger attached_goes on shelf;
create trigger attached_goes before delete on shelf for each row when (old.conversation is not null or old.tray) execute function attached_goes();

-- +goose Down
delete from shelf where tray;
drop trigger attached_goes on shelf;
create trigger attached_goes before delete on shelf for each row when (old.conversation is not null) execute function attached_goes();
-- +goose StatementBegin
create or replace function conversation_goes() returns trigger language plpgsql as $$
begin
    delete from turn where conversation = old.id;
    delete from shelf where conversation = old.id;
    return null;
end $$;
-- +goose StatementEnd
-- +goose StatementBegin
create or replace function desk_goes() returns trigger language plpgsql as $$
begin
    delete from conversation where desk = old.id;
    return null;
end $$;
-- +goose StatementEnd
drop table wanted, errand_document, errand, led_to, work;
alter table document drop work, drop beginning, drop headings;
drop index shelf_tray;
alter table shelf drop tray;
