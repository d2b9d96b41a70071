package reading

import (
	"context"
	"html"
	"regexp"
	"strconv"
	"strings"
)

var (
	cueTime = regexp.MustCompile(`^\s*(?:(\d{1,3}):)?(\d{1,2}):(\d{2})[.,](\d{1,3})\s*-->\s*(?:(\d{1,3}):)?(\d{1,2}):(\d{2})[.,](\d{1,3})`)
	cueTags = regexp.MustCompile(`</?[a-zA-Z][^>]*>|<[\d:.]+>|\{\\[^}]*\}`)
	voiceOf = regexp.MustCompile(`<v(?:\.[^ >]*)?\s+([^>]+)>`)
)

var _ = register(format{name: "srt", title: "SRT", endings: []string{".srt"}, read: readCaptions})

var _ = register(format{name: "webvtt", title: "WebVTT", endings: []string{".vtt"},
	begins: []string{"WEBVTT", "\xef\xbb\xbfWEBVTT"}, read: readCaptions})

// readCaptions reads SubRip and WebVTT: what is said goes together as
// paragraphs, up to a pause or the end of a sentence after some time; every cue
// leaves a mark with its time.
func readCaptions(_ context.Context, name string, body []byte, _ Limits) (Document, error) {
	const (
		pause   = 2.5 // seconds that end a paragraph
		longest = 45.0
	)
	var d Document
	decoded, err := decode(name, body)
	if err != nil {
		return d, err
	}
	lines := strings.Split(strings.NewReplacer("\r\n", "\n", "\r", "\n").Replace(decoded), "\n")
	var b *Block
	until, speaker, last := 0.0, "", ""
	for i := 0; i < len(lines); i++ {
		if title, ok := strings.CutPrefix(lines[i], "WEBVTT"); ok && i == 0 {
			d.Title = strings.Trim(title, " \t-")
		}
		times := cueTime.FindStringSubmatch(lines[i])
		if times == nil {
			continue
		}
		begin, end, line := seconds(times[1:5]), seconds(times[5:9]), i+1
		var said []string
		for i++; i < len(lines) && strings.TrimSpace(lines[i]) != ""; i++ {
			said = append(said, lines[i])
		}
		text := strings.Join(said, " ")
		who := speaker
		if v := voiceOf.FindStringSubmatch(text); v != nil {
			who = squeeze(v[1])
		}
		text = squeeze(html.UnescapeString(cueTags.ReplaceAllString(text, "")))
		if text == "" || text == last {
			continue
		}
		// Captions that roll up say their last line again.
		if rest, again := strings.CutPrefix(text, last+" "); again && last != "" {
			text, last = rest, text
		} else {
			last = text
		}
		ended := b != nil && strings.ContainsAny(b.Text[len(b.Text)-1:], ".?!") && begin-b.Marks[0].Time > 20
		if b == nil || begin-until > pause || begin-b.Marks[0].Time > longest || who != speaker || ended {
			d.Blocks = append(d.Blocks, Block{Kind: Paragraph, Line: line})
			b = &d.Blocks[len(d.Blocks)-1]
			if who != speaker && who != "" {
				b.Text = who + ":"
			}
		}
		if b.Text != "" {
			b.Text += " "
		}
		b.Marks = append(b.Marks, Position{At: len(b.Text), Time: begin})
		b.Text += text
		until, speaker = end, who
	}
	if len(d.Blocks) == 0 {
		return d, problem(name, "there is no caption with a time in it, like 00:01:02.500 --> 00:01:05.000")
	}
	return d, nil
}

// seconds adds up hours, minutes, seconds and thousandths.
func seconds(parts []string) (sum float64) {
	for i, unit := range []float64{3600, 60, 1} {
		n, _ := strconv.Atoi(parts[i])
		sum += float64(n) * unit
	}
	thousandths, _ := strconv.Atoi((parts[3] + "00")[:3])
	return sum + float64(thousandths)/1000
}
