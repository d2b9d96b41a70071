package service

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"syscall"
	"time"

	"juvalogos/internal/notices"
	"juvalogos/internal/record"
	"juvalogos/internal/store"
)

// What the owner is told of. Each check finds the troubles of a kind; a trouble's key stays
// the same while it lasts.

// leastRoom is how much of the data folder's disk has to be free: a tenth, or so many bytes.
const (
	leastShare = 0.1
	leastRoom  = 2 << 30
)

func checks(st *store.Store, data string) []notices.Check {
	return []notices.Check{
		func(ctx context.Context) []notices.Trouble { return ofRecords(st.Ready(ctx)) },
		func(context.Context) []notices.Trouble { return ofDisk(data) },
		func(ctx context.Context) []notices.Trouble { return ofModels(ctx, st) },
		func(ctx context.Context) []notices.Trouble { return ofDocuments(ctx, st) },
	}
}

func ofRecords(err error) []notices.Trouble {
	switch {
	case err == nil:
		return nil
	case errors.Is(err, record.ErrFull), errors.Is(err, record.ErrReadOnly):
		return []notices.Trouble{{Key: "database", What: sentenceOf(err)}}
	}
	return []notices.Trouble{{Key: "database",
		What: "The database does not answer; nothing can be asked or kept until " +
			"it does."}}
}

// sentenceOf is what an error says, as a sentence.
func sentenceOf(err error) string {
	text := err.Error()
	return string(text[0]-'a'+'A') + text[1:] + "."
}

func ofDisk(data string) []notices.Trouble {
	var s syscall.Statfs_t
	if syscall.Statfs(data, &s) != nil || s.Blocks == 0 {
		return nil
	}
	free, share := s.Bavail*uint64(s.Bsize), float64(s.Bavail)/float64(s.Blocks)
	if free >= leastRoom && share >= leastShare || free >= 10*leastRoom {
		return nil
	}
	return []notices.Trouble{{Key: "disk", What: fmt.Sprintf("The disk of the data folder fills up: %.1f GB are left, "+
		"%.0f %%. Make room, or nothing can be kept soon.", float64(free)/1e9, 100*share)}}
}

// failingFor is the time that is looked at, and fewestFailed how many replies have to fail
// in it, of a model that made none.
const (
	failingFor   = 15 * time.Minute
	fewestFailed = 3
)

func ofModels(ctx context.Context, st *store.Store) (all []notices.Trouble) {
	failing, err := st.Replies.Failing(ctx, time.Now().Add(-failingFor), fewestFailed)
	if err != nil {
		return nil // that is told as such
	}
	for _, f := range failing {
		what := fmt.Sprintf("The model %s has answered none of its last %d questions (%s).", f.Model, f.Failed,
			f.Problem)
		switch f.Problem {
		case "key-refused", "key-missing":
			what = fmt.Sprintf("The server of the model %s refuses our key; %d questions were not answered.", f.Model,
				f.Failed)
		}
		all = append(all, notices.Trouble{Key: "model " + f.Model, What: what})
	}
	return all
}

func ofDocuments(ctx context.Context, st *store.Store) (all []notices.Trouble) {
	shelves, err := st.Shelves.Shelves(ctx)
	if err != nil {
		return nil
	}
	for _, f := range shelves {
		if f.Failed > 0 {
			all = append(all, notices.Trouble{Key: "documents " + f.Slug,
				What: fmt.Sprintf("%d documents on the shelf %q "+
					"could not be read; its page says why.", f.Failed, f.Title)})
		}
	}
	return all
}

// watch looks for troubles until stop, and tells the owner as the settings say. It fails if
// these cannot be used.
func (o Settings) watch(ctx context.Context, st *store.Store, log *slog.Logger) (w *notices.Watcher, stop func(),
	err error) {
	var channels []notices.Channel
	if o.NotifyMail != "" {
		m, err := notices.ReadMail(o.NotifyMail, os.Getenv("JUVALOGOS_MAIL_PASSWORD"))
		if err != nil {
			return nil, nil, fmt.Errorf("notify-mail: %w", err)
		}
		channels = append(channels, m)
	}
	if o.NotifyHook != "" {
		u, err := url.Parse(o.NotifyHook)
		if err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" {
			return nil, nil, fmt.Errorf("notify-webhook: %q is no address; write it like https://example.net/hook",
				o.NotifyHook)
		}
		channels = append(channels, &notices.Webhook{Address: o.NotifyHook,
			Secret: os.Getenv("JUVALOGOS_WEBHOOK_SECRET"),
			Client: &http.Client{Timeout: 20 * time.Second}})
	}
	host, _ := os.Hostname()
	w = notices.New(notices.Options{Name: host + " " + o.Listen, Checks: checks(st, o.Data), Channels: channels,
		File: filepath.Join(o.Data, "notices.json"), Log: log})
	ctx, cancel := context.WithCancel(ctx)
	go w.Run(ctx)
	return w, cancel, nil
}
