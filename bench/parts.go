package main

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"time"
)

// idle looks at the service before anything is asked.
func idle(s *setup, _ sizes, r *report) error {
	time.Sleep(2 * time.Second)
	r.begin("At rest", "what", "figure")
	r.row("start to ready, database made before", fmt.Sprintf("%.2f s", s.startSeconds))
	r.row("memory of the service (resident)",
		fmt.Sprintf("%.0f MB", megabytes(s.service.Process.Pid, "status", "VmRSS")))
	database := 0.0
	for _, pid := range s.databasePIDs() {
		database += megabytes(pid, "smaps_rollup", "Pss")
	}
	r.row("memory of its database (proportional)", fmt.Sprintf("%.0f MB", database))
	script, style, err := pageWeight()
	if err != nil {
		return err
	}
	r.row("page: script on first load, packed (at most 120 kB)", fmt.Sprintf("%.0f kB", script))
	r.row("page: style, packed", fmt.Sprintf("%.0f kB", style))
	return nil
}

// pageWeight adds up the packed files that the document names.
func pageWeight() (script, style float64, err error) {
	document, err := os.ReadFile("console/dist/index.html")
	if err != nil {
		return 0, 0, err
	}
	files, err := filepath.Glob("console/dist/assets/*.br")
	if err != nil {
		return 0, 0, err
	}
	for _, path := range files {
		name := strings.TrimSuffix(filepath.Base(path), ".br")
		info, err := os.Stat(path)
		if err != nil {
			return 0, 0, err
		}
		if !strings.Contains(string(document), name) {
			continue
		}
		if strings.HasSuffix(name, ".js") {
			script += float64(info.Size()) / 1000
		} else {
			style += float64(info.Size()) / 1000
		}
	}
	return script, style, nil
}

// first is what the first slice of the service takes, which had neither recipes
// nor traces (commit 366b0b9): medians of seven runs or more of its build in the place
// of the service (-service), in turn with a later state, on 2026-11-28. No
// figure is to be more than a tenth worse.
var first = struct{ added, cpu, rate, memory float64 }{added: 2.1, cpu: 2.28, rate: 0.77, memory: 205}

// oneAtATime asks one question after another, in turn of the model, through
// the proxy and at the desk, and compares the time to the first token.
func oneAtATime(s *setup, z sizes, r *report) error {
	if err := s.pace(5, 0, 40); err != nil {
		return err
	}
	var model, proxied, desk []float64
	conversation := ""
	var earlier []string
	for i := range z.questions {
		if i%20 == 0 {
			conversation, earlier = "", nil
		}
		for _, ask := range []struct {
			into *[]float64
			do   func() result
		}{
			{&model, func() result { return s.askModel(direct, earlier) }},
			{&proxied, func() result { return s.askModel(proxy, earlier) }},
			{&desk, func() result { return s.askDesk(conversation) }},
		} {
			got := ask.do()
			if got.err != nil {
				return got.err
			}
			if got.conversation != "" {
				conversation, earlier = got.conversation, append(earlier, got.reply)
			}
			*ask.into = append(*ask.into, got.first.Seconds()*1000)
		}
	}
	r.begin(fmt.Sprintf("One at a time: time to the first token, %d questions, up to 19 earlier turns remembered",
		z.questions), "way", "median", "added at the median", "95th percentile")
	for _, line := range []struct {
		way   string
		times []float64
	}{{"the model itself", model}, {"plain reverse proxy", proxied},
		{fmt.Sprintf("a desk (aim: 2 ms added or less; the first slice: %+.2f ms)", first.added), desk}} {
		r.row(line.way, fmt.Sprintf("%.2f ms", quantile(line.times, 0.5)),
			fmt.Sprintf("%+.2f ms", quantile(line.times, 0.5)-quantile(model, 0.5)),
			fmt.Sprintf("%.2f ms", quantile(line.times, 0.95)))
	}
	return nil
}

// asFastAsPossible compares CPU time and throughput with the proxy's.
func asFastAsPossible(s *setup, z sizes, r *report) error {
	if err := s.pace(0, 0, z.tokens); err != nil {
		return err
	}
	thousands := float64(z.streams*z.tokens) / 1000
	measure := func(pids []int, ask func() result) (cpu, rate float64, err error) {
		before, began := cpuSeconds(pids...), time.Now()
		for _, got := range together(z.streams, 0, ask) {
			if got.err != nil {
				return 0, 0, got.err
			}
		}
		took := time.Since(began).Seconds()
		return (cpuSeconds(pids...) - before) / thousands, float64(z.streams*z.tokens) / took, nil
	}
	// Several rounds make one repetition, because CPU time is counted in
	// hundredths of a second.
	const rounds = 6
	var cpuRatios, rateRatios, proxyCPU, deskCPU, proxyRate, deskRate []float64
	for repetition := range z.repetitions + 1 {
		var cpu, rate [2]float64
		for range rounds {
			for i, way := range []struct {
				pids []int
				ask  func() result
			}{
				{[]int{s.proxy.Process.Pid}, func() result { return s.askModel(proxy, nil) }},
				{s.servicePIDs(), func() result { return s.askDesk("") }},
			} {
				c, t, err := measure(way.pids, way.ask)
				if err != nil {
					return err
				}
				cpu[i] += c / rounds
				rate[i] += t / rounds
			}
		}
		if repetition == 0 && z.repetitions > 1 {
			continue // warms up
		}
		cpuRatios, rateRatios = append(cpuRatios, cpu[1]/cpu[0]), append(rateRatios, rate[1]/rate[0])
		proxyCPU, deskCPU = append(proxyCPU, cpu[0]*1000), append(deskCPU, cpu[1]*1000)
		proxyRate, deskRate = append(proxyRate, rate[0]), append(deskRate, rate[1])
	}
	median := func(v []float64) float64 { return quantile(v, 0.5) }
	r.begin(fmt.Sprintf("As fast as possible: %d streams of %d tokens, medians of %d repetitions", z.streams, z.tokens,
		len(cpuRatios)), "way", "CPU per 1,000 tokens", "tokens per second")
	r.row("plain reverse proxy", fmt.Sprintf("%.2f ms", median(proxyCPU)), fmt.Sprintf("%.0f", median(proxyRate)))
	r.row("a desk, its database included", fmt.Sprintf("%.2f ms", median(deskCPU)),
		fmt.Sprintf("%.0f", median(deskRate)))
	r.row(fmt.Sprintf("ratio (aim: CPU at most 3, tokens at least 0.4; the first slice: %.2f and %.2f)", first.cpu,
		first.rate), fmt.Sprintf("%.2f", median(cpuRatios)), fmt.Sprintf("%.2f", median(rateRatios)))
	return nil
}

// manyAtOnce holds many slow streams open, of the model itself and at the desk.
func manyAtOnce(s *setup, z sizes, r *report) error {
	if err := s.pace(50, 1000/z.gapMS, z.manyTokens); err != nil {
		return err
	}
	ideal := time.Duration(float64(z.manyTokens-1) * z.gapMS * float64(time.Millisecond))
	r.begin(fmt.Sprintf("Many at once: %d streams of %d tokens, %.0f ms apart, begun within %.0f s", z.many,
		z.manyTokens, z.gapMS, z.rampSeconds),
		"way", "errors", "first token, median", "rate kept, median", "rate kept, worst")
	var medians []float64
	var desk []result
	for _, way := range []struct {
		name string
		ask  func() result
	}{{"the model itself", func() result { return s.askModel(direct, nil) }},
		{"a desk (aim: 10 ms added or less, rate 0.98)", func() result { return s.askDesk("") }}} {
		var firsts, kept []float64
		errors := 0
		desk = together(z.many, z.rampSeconds, way.ask)
		for _, got := range desk {
			if got.err != nil {
				errors++
				fmt.Fprintln(os.Stderr, "bench:", got.err)
				continue
			}
			firsts = append(firsts, got.first.Seconds()*1000)
			kept = append(kept, ideal.Seconds()/got.texts.Seconds())
		}
		if len(firsts) == 0 {
			return fmt.Errorf("no stream came through")
		}
		medians = append(medians, quantile(firsts, 0.5))
		r.row(way.name, fmt.Sprint(errors), fmt.Sprintf("%.1f ms", quantile(firsts, 0.5)),
			fmt.Sprintf("%.3f", quantile(kept, 0.5)), fmt.Sprintf("%.3f", quantile(kept, 0)))
	}
	whole, err := s.countWhole(desk)
	if err != nil {
		return err
	}
	r.begin("... and afterwards", "what", "figure")
	r.row("added to the first token at the median", fmt.Sprintf("%+.1f ms", medians[1]-medians[0]))
	r.row(fmt.Sprintf("most memory of the service (aim: under 400 MB; the first slice: %.0f MB)", first.memory),
		fmt.Sprintf("%.0f MB", megabytes(s.service.Process.Pid, "status", "VmHWM")))
	r.row("replies whole in PostgreSQL", fmt.Sprintf("%d of %d", whole, z.many))
	return nil
}

// countWhole counts the replies that are on record with all their tokens: all
// were given the same number, so the shortest must be as long as the longest.
func (s *setup) countWhole(results []result) (int, error) {
	lengths := map[int]int{}
	longest := 0
	for _, got := range results {
		if got.turn == "" {
			continue
		}
		t, err := s.client.Turn(context.Background(), got.turn)
		if err != nil {
			return 0, err
		}
		if t.Outcome.State == "done" {
			lengths[len(t.Reply)]++
			longest = max(longest, len(t.Reply))
		}
	}
	return lengths[longest], nil
}

// together asks n times at once, begun evenly within ramp seconds.
func together(n int, ramp float64, ask func() result) []result {
	results := make([]result, n)
	var all sync.WaitGroup
	began := time.Now()
	for i := range n {
		time.Sleep(time.Until(began.Add(time.Duration(float64(i) / float64(n) * ramp * float64(time.Second)))))
		all.Go(func() { results[i] = ask() })
	}
	all.Wait()
	return results
}
