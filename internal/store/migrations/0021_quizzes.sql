-- +goose Up

-- Quizzes that were given to people. Who has take may take it, who has results sees how it
-- went. A change makes another edition; sittings belong to the one that was taken.
create table quiz (
    id           uuid primary key,
    content      jsonb not null,
    edition      int not null default 1,
    take         text not null unique,
    results      text not null unique,
    names        boolean not null,
    made_by      text not null,
    made_at      timestamptz not null,
    withdrawn_at timestamptz
);

create table quiz_sitting (
    id       uuid primary key,
    quiz     uuid not null references quiz on delete cascade,
    edition  int not null,
    visitor  bytea not null,
    name     text not null,
    try      int not null,
    answers  int[],
    score    int,
    began_at timestamptz not null,
    ended_at timestamptz
);
create index quiz_sitting_quiz on quiz_sitting (quiz, began_at);

-- +goose Down
drop table quiz_sitting;
drop table quiz;
