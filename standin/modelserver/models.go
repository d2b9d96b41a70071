package modelserver

import "time"

// model is one simulated model.
type model struct {
	name    string
	context int // tokens
	first   time.Duration
	gap     time.Duration // between tokens
	chat    bool
	terse   bool // picks the short form of what it knows
	poor    bool // says little of it, and that badly
	habit   habit
	cited   int // how many sentences it takes from passages
	sees    bool
	draws   bool
	hears   bool
}

var catalogue = []model{
	{name: "heather-2", context: 8192, first: 350 * time.Millisecond, gap: 22 * time.Millisecond, chat: true, cited: 3},
	{name: "thyme-mini", context: 4096, first: 90 * time.Millisecond, gap: 7 * time.Millisecond, chat: true,
		terse: true, cited: 1},
	{name: "dock-leaf", context: 2048, first: 60 * time.Millisecond, gap: 4 * time.Millisecond, chat: true, terse: true,
		poor: true, cited: 1},
	{name: "sage-aloud", context: 8192, first: 120 * time.Millisecond, gap: 6 * time.Millisecond, chat: true,
		cited: 2, habit: aloud},
	{name: "bramble-wordy", context: 8192, first: 120 * time.Millisecond, gap: 6 * time.Millisecond, chat: true,
		cited: 2, habit: wordy},
	{name: "nettle-loose", context: 8192, first: 120 * time.Millisecond, gap: 6 * time.Millisecond, chat: true,
		cited: 2, habit: loose},
	{name: "orchid-eye", context: 16384, first: 400 * time.Millisecond, gap: 14 * time.Millisecond, chat: true,
		cited: 2,
		sees:  true},
	{name: "daisy-glance", context: 8192, first: 120 * time.Millisecond, gap: 6 * time.Millisecond, chat: true,
		terse: true, cited: 1, sees: true},
	{name: "alder-brush", context: 4096, first: 3 * time.Second, draws: true},
	{name: "clover-embed", context: 2048},
	{name: "burdock-ear", context: 2048, hears: true},
}

func find(name string) (model, bool) {
	for _, m := range catalogue {
		if m.name == name {
			return m, true
		}
	}
	return model{}, false
}
