package modelserver

import (
	"fmt"
	"math/rand/v2"
	"regexp"
	"strings"
)

// compose writes the reply to a conversation.
// compose makes a reply, as the model's habit has it.
func compose(m model, messages []message, format responseFormat, chance *rand.Rand) string {
	return m.accustomed(composed(m, messages, format, chance))
}

func composed(m model, messages []message, format responseFormat, chance *rand.Rand) string {
	c := listen(messages)
	if len(messages) > 0 {
		last := messages[len(messages)-1].Text
		switch {
		case asksLetter.MatchString(last):
			return letterOf(c.system, last)
		case asksQuiz.MatchString(c.system), asksBetter.MatchString(c.system):
			return quizOn(c.system, last)
		case asksTurn.MatchString(c.system):
			return notesAnew(c.system, last)
		case asksShort.MatchString(c.system):
			return sectionInShort(last)
		case asksDigest.MatchString(c.system), asksTogether.MatchString(c.system):
			return fromNotes(c.system, last)
		}
		if done, ok := task(m, c.system, messages); ok {
			return done
		}
		switch {
		case asksQuery.MatchString(c.system):
			return writeQuery(c)
		case asksTelling.MatchString(c.system):
			return tellResult(last)
		}
	}
	standing := readInstructions(c.system)
	if standing.short {
		m.terse = true
	}
	said := speak(m, c, standing, chance)
	if m.poor {
		said = blur(said, chance)
	}
	if json, ok := structured(format, c, said, chance); ok {
		return json
	}
	return standing.apply(said)
}

// blur is what a poor model makes of a good reply: it forgets most of it, is
// never sure, and says things twice.
func blur(said string, chance *rand.Rand) string {
	all := sentences(markup.ReplaceAllString(said, ""))
	if len(all) == 0 {
		return said
	}
	kept := all[chance.IntN(len(all))]
	return pick(chance, "I think that maybe ", "It is possible that ", "As far as I can tell, ") +
		strings.ToLower(kept[:1]) + kept[1:] +
		pick(chance, " It depends.", " Many people say so.", " Bees are very interesting insects.") + " " + kept
}

// conversation is what the messages say, sorted.
type conversation struct {
	system   string
	earlier  []string // what the user said before
	question string
	pictures []string
	passages []passage
	worked   string // what was worked out from tables, as the last message tells it
}

func listen(messages []message) conversation {
	var c conversation
	for _, m := range messages {
		switch m.Role {
		case "system", "developer":
			c.system += m.Text + "\n"
		case "user":
			if c.question != "" {
				c.earlier = append(c.earlier, c.question)
			}
			c.question, c.pictures = strings.TrimSpace(m.Text[afterMaterial(m.Text):]), m.Pictures
		}
		c.passages = append(c.passages, readPassages(m.Text)...)
		_, c.worked, _ = strings.Cut(m.Text, "What was worked out from our tables:")
	}
	return c
}

var (
	greeting    = regexp.MustCompile(`(?i)^(hello|hi|hey|good (morning|afternoon|evening|day)|greetings)\b[^?]*$`)
	thanks      = regexp.MustCompile(`(?i)^(thanks|thank you|cheers|great|lovely|perfect)\b[^?]{0,40}$`)
	whoAreYou   = regexp.MustCompile(`(?i)\b(who|what) are you\b|your name`)
	goOn        = regexp.MustCompile(`(?is)^(continue|go on|carry on)( (this|the) (text|story))?[:.]\s*(.*)$`)
	asksGoingOn = regexp.MustCompile(`(?i)\b(continue|go on with|carry on) (the|this) text\b`)
	asksPicture = regexp.MustCompile(`(?i)\b(pictures?|photos?|photographs?|colou?rs?|shapes?)\b`)
	counting    = regexp.MustCompile(`(?i)^count from one to (\w+)`)
)

// speak decides what kind of thing was said.
func speak(m model, c conversation, standing instructions, chance *rand.Rand) string {
	switch {
	case c.worked != "":
		return fromBoth(m, c)
	case len(c.passages) > 0 && (len(c.pictures) == 0 || !asksPicture.MatchString(c.question)):
		return fromPassages(m, c)
	case len(c.pictures) > 0:
		return look(m, c)
	case counting.MatchString(c.question):
		return strings.Join(numbers, ", ") + "."
	case goOn.MatchString(c.question), asksGoingOn.MatchString(c.system):
		return continueText(chance)
	}
	if reply := fromFacts(c); reply != "" {
		return reply
	}
	switch {
	case whoAreYou.MatchString(c.question):
		return fmt.Sprintf("I am %s, the simulated model %s. There is no real model behind me: I keep a small "+
			"almanac about bees and do my best with it.", standing.name, m.name)
	case thanks.MatchString(c.question):
		return pick(chance, "You are welcome. Mind the bees on your way out.",
			"My pleasure. Ask again whenever the hive surprises you.", "Glad to help. The smoker goes out last.")
	case greeting.MatchString(c.question):
		hello := "Hello"
		if name := c.fact(myName); name != "" {
			hello += ", " + name
		}
		return hello + pick(chance, "! What would you like to know about your bees?",
			"! The kettle is on and the smoker is lit. What can I look up for you?", "! How are the colonies doing?")
	}
	return fromAlmanac(m, c, standing, chance)
}

func pick(chance *rand.Rand, choices ...string) string { return choices[chance.IntN(len(choices))] }

var numbers = strings.Fields("one two three four five six seven eight nine ten eleven twelve thirteen fourteen " +
	"fifteen sixteen seventeen eighteen nineteen twenty twenty-one twenty-two twenty-three twenty-four twenty-five " +
	"twenty-six twenty-seven twenty-eight twenty-nine thirty")

// continueText adds sentences in the mood of an apiary at dusk.
func continueText(chance *rand.Rand) string {
	openings := []string{"By then", "A little later", "Nobody noticed, but", "On the landing board", "Behind the shed",
		"As every year", "Further down the valley"}
	middles := []string{"the last foragers came home heavy with lime pollen",
		"the smoker had gone out and smelled of old sacking", "a single drone circled as if he had lost his keys",
		"the hive hummed half a tone lower", "rain began to tick on the tin roofs",
		"somebody was already counting jars", "the children had found the best place to watch from"}
	ends := []string{"and the evening settled over the meadow.", "which the old keeper took for a good sign.",
		"and someone put the kettle on.", "so the notebook stayed shut until morning.",
		"and nobody said a word about the weather."}
	var b strings.Builder
	o, m, e := chance.Perm(len(openings)), chance.Perm(len(middles)), chance.Perm(len(ends))
	for i := range 3 {
		if i > 0 {
			b.WriteByte(' ')
		}
		fmt.Fprintf(&b, "%s %s, %s", openings[o[i]], middles[m[i]], ends[e[i]])
	}
	return b.String()
}

// Facts a user may tell, and how they may be asked for.
var (
	myName     = regexp.MustCompile(`(?i)\b(?:my name is|i am called|call me) ([A-Z][\w'-]+)`)
	myHives    = regexp.MustCompile(`(?i)\bi (?:have|keep|look after) (\w+(?: \w+)? (?:hives?|colon(?:y|ies)))`)
	toRemember = regexp.MustCompile(`(?i)\b(?:remember|note)(?: that|:)\s+([^.!?\n]+)`)

	askName     = regexp.MustCompile(`(?i)what(?:'s| is) my name|who am i`)
	askHives    = regexp.MustCompile(`(?i)how many (?:hives|colonies) (?:do|have) i`)
	askRemember = regexp.MustCompile(`(?i)what (?:did i ask|should|do) you (?:to )?remember|what did i (?:tell|ask) you to (?:remember|note)`)
	askFirst    = regexp.MustCompile(`(?i)what did i (?:first ask|ask (?:you )?first)|my first question`)
)

// fact returns the newest mention of a fact, the present question included.
func (c conversation) fact(pattern *regexp.Regexp) string {
	if found := pattern.FindStringSubmatch(c.question); found != nil {
		return found[1]
	}
	for i := len(c.earlier) - 1; i >= 0; i-- {
		if found := pattern.FindStringSubmatch(c.earlier[i]); found != nil {
			return found[1]
		}
	}
	if all := pattern.FindAllStringSubmatch(c.system, -1); len(all) > 0 { // notes of what was said before
		return all[len(all)-1][1]
	}
	return ""
}

func fromFacts(c conversation) string {
	for _, f := range []struct {
		asked, told *regexp.Regexp
		format      string
	}{
		{askName, myName, "Your name is %s."},
		{askHives, myHives, "You told me that you have %s."},
		{askRemember, toRemember, "You asked me to remember that %s."},
	} {
		if !f.asked.MatchString(c.question) {
			continue
		}
		if found := c.fact(f.told); found != "" {
			return fmt.Sprintf(f.format, found)
		}
		return "You have not told me that, or it was so long ago that I have forgotten."
	}
	if askFirst.MatchString(c.question) {
		if len(c.earlier) == 0 {
			return "This is the first thing you have asked me."
		}
		return fmt.Sprintf("As far as I remember, you first asked: “%s”", c.earlier[0])
	}
	if toRemember.MatchString(c.question) {
		return fmt.Sprintf("Noted: %s.", c.fact(toRemember))
	}
	if found := myName.FindStringSubmatch(c.question); found != nil {
		return fmt.Sprintf("Good to meet you, %s. What would you like to know about your bees?", found[1])
	}
	return ""
}
