-- +goose Up

-- Questions put to models by a run, so that their turns are told from those of visitors.
alter table conversation drop constraint conversation_channel_check;
alter table conversation add check (channel in ('page', 'preview', 'api', 'completions', 'run'));

-- Runs put a set of questions to candidates, so many times each.
create table run (
    id         uuid primary key,
    quiz       uuid,           -- that was given; null: out of a file
    content    jsonb not null, -- the questions as they were
    candidates jsonb not null,
    times      int not null,
    anew       boolean not null, -- what is kept is not used
    resumed    int not null default 0, -- how often it was gone on with
    state      text not null check (state in ('running', 'done', 'stopped')),
    runner     integer not null, -- the instance that runs it
    made_by    text not null,
    made_at    timestamptz not null,
    ended_at   timestamptz
);
create index run_quiz on run (quiz, made_at);
create index run_running on run (id) where state = 'running';

create table run_answer (
    run       uuid not null references run on delete cascade,
    candidate int not null, -- from 0, as the questions and the times
    question  int not null,
    time      int not null,
    chosen    int not null, -- the place of an option; -1: it cannot be told
    said      text not null,
    problem   jsonb not null default '{}', -- why there is no answer; '{}': there is one
    turn      uuid,        -- in which it was asked, if need be by an earlier run
    kept      boolean not null, -- an earlier run's answer
    tokens    bigint not null,
    cost      double precision not null, -- of this run: nothing where it was kept
    seconds   double precision not null,
    primary key (run, candidate, question, time)
);

-- Answers by what was asked of whom, for the next run that asks the same.
create table run_kept (
    key     bytea primary key,
    said    text not null,
    turn    uuid not null,
    tokens  bigint not null,
    seconds double precision not null,
    made_at timestamptz not null
);

-- +goose Down
drop table run_kept;
drop table run_answer;
drop table run;
delete from conversation where channel = 'run';
alter table conversation drop constraint conversation_channel_check;
alter table conversation add check (channel in ('page', 'preview', 'api', 'completions'));
