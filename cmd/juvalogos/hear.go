package main

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strconv"

	"juvalogos/core/sound"
	"juvalogos/internal/api"
	"juvalogos/internal/client"
)

// forms are those in which the words of a recording are printed.
var forms = []string{"text", "srt", "vtt", "json"}

// heard is what -attach of a recording leads to.
type heard struct {
	client *client.Client
	desk   string
	as     string // one of forms
	quiet  bool   // the words are asked about, not printed
	wishes api.RecordingWishes
}

// wishesOf are wishes for recordings among -input; the others are the desk's recipe's.
func wishesOf(inputs map[string]string) (w api.RecordingWishes, err error) {
	for name, value := range inputs {
		switch name {
		case "language":
			w.Language = value
		case "names":
			w.Names = value
		case "task":
			w.Task = api.RecordingWishesTask(value)
		case "temperature":
			t, err := strconv.ParseFloat(value, 64)
			if err != nil {
				return w, usageError("-input temperature is a number from 0 to 1")
			}
			w.Temperature = &t
		}
	}
	return w, nil
}

// sounds parts the files that are recordings from the others.
func sounds(files []string) (recordings, others []string, err error) {
	for _, name := range files {
		f, err := os.Open(name)
		if err != nil {
			return nil, nil, fmt.Errorf("attach: %w", err)
		}
		head := make([]byte, 4096)
		n, _ := f.Read(head)
		_ = f.Close()
		if _, is := sound.KindOf(head[:n]); is {
			recordings = append(recordings, name)
		} else {
			others = append(others, name)
		}
	}
	return recordings, others, nil
}

// writeDown gives recordings to a conversation, has them written down, and prints their
// words as they come. It returns the conversation's id.
func (h heard) writeDown(ctx context.Context, conversation string, files []string) (string, error) {
	for _, name := range files {
		f, err := os.Open(name)
		if err != nil {
			return "", fmt.Errorf("attach: %w", err)
		}
		given, err := h.client.GiveRecording(ctx, h.desk, conversation, filepath.Base(name), f)
		_ = f.Close()
		if err != nil {
			return "", err
		}
		for _, r := range given.Refused {
			return "", fmt.Errorf("%s was not taken: %s", r.Name, r.Problem)
		}
		conversation = given.Conversation
		one := given.Recordings[len(given.Recordings)-1]
		if _, err := h.client.BeginRecording(ctx, h.desk, one.ID, h.wishes); err != nil {
			return "", err
		}
		if err := h.follow(ctx, one); err != nil {
			return "", err
		}
	}
	return conversation, nil
}

// follow prints the words of one recording as they come.
func (h heard) follow(ctx context.Context, r api.Recording) error {
	write, end := printer()
	printed := 0
	growing := h.as == "text" && !h.quiet
	whole, err := h.client.WrittenDown(ctx, r.ID, func(w api.RecordingWhole) {
		if !growing || w.Recording.State != api.RecordingStateWorking {
			return
		}
		for ; printed < len(w.Sentences)-1; printed++ { // the last one may grow
			write(w.Sentences[printed].Text + " ")
		}
	})
	switch {
	case errors.Is(err, context.Canceled):
		_ = h.client.StopRecording(context.WithoutCancel(ctx), r.ID)
		end()
		return err
	case err != nil:
		end()
		return err
	}
	if growing {
		for ; printed < len(whole.Sentences); printed++ {
			write(whole.Sentences[printed].Text + " ")
		}
		end()
	} else if !h.quiet {
		text, err := h.client.RecordingText(ctx, r.ID, h.as)
		if err != nil {
			return err
		}
		if _, err := os.Stdout.Write(append(bytes.TrimRight(text, "\n"), '\n')); err != nil {
			return err
		}
	}
	if whole.Recording.State != api.RecordingStateReady {
		return fmt.Errorf("%s was not written down to the end: %s", r.Name, whole.Recording.Problem)
	}
	return nil
}
