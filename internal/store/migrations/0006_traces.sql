-- +goose Up

-- A reply of several texts: what each is and who wrote it, and which of them
-- the visitor prefers (from 0). The attempt's reply is then that one. parts
-- are what else the turn got.
alter table attempt add lanes jsonb;
alter table attempt add preferred integer;
alter table attempt add parts jsonb;
alter table attempt add cost double precision not null default 0;
alter table attempt add recipe text not null default '';
alter table attempt add takes jsonb;

-- What happened while something was made: a reply, a summary, or a reply made
-- again to try something. spans is null once it has been thinned.
create table trace (
    id            uuid primary key,
    kind          text not null check (kind in ('reply', 'summary', 'rerun')),
    turn          uuid not null,
    attempt       integer not null,
    desk          bigint not null,
    revision      integer not null,
    visitor       bytea not null,
    recipe        text not null,
    models        text[] not null,
    steps         text[] not null,
    state         text not null,
    problem       text not null,
    started_at    timestamptz not null,
    seconds       double precision not null,
    prompt_tokens integer not null,
    reply_tokens  integer not null,
    cost          double precision not null,
    calls         integer not null,
    retries       integer not null,
    reused        integer not null,
    edits         jsonb,
    spans         text -- JSON that is never looked into here
);
create index trace_started on trace (started_at desc);
create index trace_of_turn on trace (turn, attempt);

-- A trace goes with its turn. A foreign key would lock the turn and the desk
-- at every reply.
-- +goose StatementBegin
create function turn_goes() returns trigger language plpgsql as $$
begin
    delete from trace where turn = old.id;
    return null;
end $$;
-- +goose StatementEnd
create trigger turn_goes after delete on turn for each row execute function turn_goes();

-- Every time a model was asked, in figures. They outlive the trace.
create table model_call (
    at            timestamptz not null,
    trace         uuid not null,
    number        integer not null, -- within the trace
    turn          uuid not null,
    kind          text not null,
    desk          bigint not null,
    visitor       bytea not null,
    step          text not null,
    model         text not null,
    prompt_tokens integer not null,
    reply_tokens  integer not null,
    counted       boolean not null,
    cost          double precision not null,
    primary key (trace, number)
);
create index model_call_at on model_call (at);

-- What a visitor says of a reply beside whether it helped, and what a maker
-- found: the record that improving works from.
alter table attempt add reason text not null default '';
alter table attempt add remark text not null default '';
alter table attempt add judged_at timestamptz;
update attempt set judged_at = coalesce(ended_at, started_at) where helped is not null;
create table finding (
    turn       uuid not null references turn on delete cascade,
    attempt    integer not null,
    cause      text not null default '',
    note       text not null default '',
    done       boolean not null default false,
    changed_by text not null,
    changed_at timestamptz not null,
    primary key (turn, attempt)
);
create index attempt_flagged on attempt (judged_at desc) where helped is not null;

-- Whatever the owner sets for the whole service.
create table setting (
    key   text primary key,
    value jsonb not null
);

-- +goose Down
drop trigger turn_goes on turn;
drop function turn_goes();
drop table setting, finding, model_call, trace;
alter table attempt drop lanes, drop preferred, drop parts, drop cost, drop recipe, drop takes, drop reason, drop remark, drop judged_at;
