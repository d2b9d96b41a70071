package web

import (
	"encoding/json"
	"net/url"
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"
	"github.com/google/uuid"

	"juvalogos/core/deskfile"
	"juvalogos/core/words"
	"juvalogos/internal/desk"
	"juvalogos/internal/store"
)

// The shapes of answers; openapi.yaml describes them.
type (
	faceBody struct {
		Slug    string   `json:"slug"`
		Title   string   `json:"title"`
		Purpose string   `json:"purpose"`
		Openers []string `json:"openers"`
		GoodFor []string `json:"good_for"`
		NotFor  []string `json:"not_for"`
		// Known are sentences on what the desk knows.
		Known   []string    `json:"known"`
		Choices choicesBody `json:"choices"`
		// Attachments: visitors may attach documents.
		Attachments bool   `json:"attachments,omitempty"`
		Turns       int    `json:"turns"`   // how many are remembered word for word
		Summary     bool   `json:"summary"` // earlier ones in short
		Draft       string `json:"draft,omitempty"`
		// Takes is what visitors fill in beside the question.
		Takes []takeBody `json:"takes"`
		// Show is how several texts are shown, columns or cards; empty: a reply
		// is one text.
		Show string `json:"show,omitempty"`
	}
	takeBody struct {
		Name    string   `json:"name"`
		Type    string   `json:"type"`
		Title   string   `json:"title"`
		Choices []string `json:"choices,omitempty"`
		Need    bool     `json:"need,omitempty"`
		Default string   `json:"default,omitempty"`
	}
	// laneBody is one of several texts. What would tell whose it is is empty
	// where the desk asks visitors blind.
	laneBody struct {
		Title       string  `json:"title"`
		Model       string  `json:"model,omitempty"`
		Text        string  `json:"text"`
		Failed      bool    `json:"failed,omitempty"`
		Seconds     float64 `json:"seconds"`
		ReplyTokens int     `json:"reply_tokens,omitempty"`
		Cost        float64 `json:"cost,omitempty"`
	}
	partBody struct {
		Title string `json:"title"`
		Type  string `json:"type"`
		Value any    `json:"value"`
	}
	// choicesBody is what a visitor may change. The desk's own model comes first.
	choicesBody struct {
		Models    []deskfile.ModelChoice `json:"models"`
		Manner    bool                   `json:"manner"`
		Length    bool                   `json:"length"`
		Languages []string               `json:"languages"`
	}
	conversationBody struct {
		ID        uuid.UUID `json:"id"`
		Desk      string    `json:"desk"`
		Title     string    `json:"title"`
		StartedAt time.Time `json:"started_at"`
		AskedAt   time.Time `json:"asked_at"`
		Questions int       `json:"questions"`
		Shared    string    `json:"shared,omitempty"`
		// Found is where a search found its words.
		Found     []foundBody   `json:"found,omitempty"`
		Turns     []turnBody    `json:"turns,omitempty"`
		Summaries []summaryBody `json:"summaries,omitempty"`
		Channel   string        `json:"channel,omitempty"`
	}
	// foundBody is a piece of an excerpt.
	foundBody struct {
		Text string `json:"text"`
		Hit  bool   `json:"hit,omitempty"`
	}
	turnBody struct {
		ID           uuid.UUID   `json:"id"`
		Conversation uuid.UUID   `json:"conversation"`
		Number       int         `json:"number"`
		Siblings     []uuid.UUID `json:"siblings"`
		Question     string      `json:"question"`
		AskedAt      time.Time   `json:"asked_at"`
		Attempt      int         `json:"attempt"`
		Attempts     int         `json:"attempts"`
		Model        string      `json:"model"`
		Reply        string      `json:"reply"`
		Helped       *bool       `json:"helped,omitempty"`
		Reason       string      `json:"reason,omitempty"`
		Remark       string      `json:"remark,omitempty"`
		Outcome      outcomeBody `json:"outcome"`
	}
	outcomeBody struct {
		State   store.State  `json:"state"`
		Finish  string       `json:"finish,omitempty"`
		Problem *troubleBody `json:"problem,omitempty"`
		Seconds float64      `json:"seconds"`
		Usage   usageBody    `json:"usage"`
		// Reply is the whole reply where what was shown as it grew was mended.
		Reply *string `json:"reply,omitempty"`
		// Lanes are the texts of a reply that has several, shown as Show says.
		Show      string     `json:"show,omitempty"`
		Lanes     []laneBody `json:"lanes,omitempty"`
		Preferred *int       `json:"preferred,omitempty"` // from 0
		Blind     bool       `json:"blind,omitempty"`
		Parts     []partBody `json:"parts,omitempty"`
	}
	troubleBody struct {
		Code   desk.Code `json:"code"`
		Detail string    `json:"detail"`
		ID     string    `json:"id,omitempty"`
		// RetryAfter is how long the model asks to be left alone, in seconds.
		RetryAfter float64 `json:"retry_after,omitempty"`
	}
	usageBody struct {
		PromptTokens int     `json:"prompt_tokens"`
		ReplyTokens  int     `json:"reply_tokens"`
		Cost         float64 `json:"cost,omitempty"` // for makers
	}
)

func (s *Server) face(c fiber.Ctx) error {
	slug, err := s.slugAsked(c)
	if err != nil {
		return err
	}
	f, err := s.faceAt(c, slug)
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(f)
}

func (s *Server) faceAt(c fiber.Ctx, slug string) (faceBody, error) {
	f, err := s.Desks.Face(c, slug)
	if err != nil {
		return faceBody{}, err
	}
	b := faceOf(f)
	r, err := s.Desks.RecipeOf(slug, f)
	if err != nil {
		return b, nil // asking will say what is wrong
	}
	if r.Lanes() {
		b.Show = r.Show
	}
	for _, in := range r.Takes {
		if in.Name != "question" {
			b.Takes = append(b.Takes, takeBody{in.Name, string(in.Type), titleOr(in.Title, in.Name), in.Choices, in.Need, in.DefaultText()})
		}
	}
	return b, nil
}

func titleOr(title, name string) string {
	if title == "" {
		return strings.ReplaceAll(name, "_", " ")
	}
	return title
}

// slugAsked is the desk that is asked for; a draft only if a maker asks.
func (s *Server) slugAsked(c fiber.Ctx) (string, error) {
	slug, err := url.PathUnescape(c.Params("slug"))
	if err == nil && strings.HasPrefix(slug, desk.DraftMark) {
		err = s.mayPreview(c)
	}
	return slug, err
}

func faceOf(f deskfile.File) faceBody {
	b := faceBody{
		Slug: f.Slug, Title: f.Title, Purpose: f.Purpose, Openers: some(f.Openers), GoodFor: some(f.GoodFor), NotFor: some(f.NotFor), Known: []string{}, Takes: []takeBody{},
		Attachments: f.Attachments, Choices: choicesBody{Models: []deskfile.ModelChoice{}, Manner: f.Choices.Manner, Length: f.Choices.Length, Languages: some(f.Choices.Languages)},
		Turns: *f.Memory.Turns, Summary: *f.Memory.Summary > 0,
	}
	if f.Knowledge.Until != "" {
		b.Known = append(b.Known, "It knows nothing of what happened after "+f.Knowledge.Until+".")
	}
	for _, source := range f.Knowledge.Sources {
		b.Known = append(b.Known, "It knows "+strings.TrimSuffix(source, ".")+".")
	}
	for _, m := range f.Choices.Models {
		if m.Model == f.Model {
			b.Choices.Models = append([]deskfile.ModelChoice{m}, b.Choices.Models...)
		} else {
			b.Choices.Models = append(b.Choices.Models, m)
		}
	}
	if len(b.Choices.Models) > 0 && b.Choices.Models[0].Model != f.Model {
		b.Choices.Models = append([]deskfile.ModelChoice{{Model: f.Model, Title: "Usual"}}, b.Choices.Models...)
	}
	return b
}

// some is the list, never null.
func some(list []string) []string {
	if list == nil {
		return []string{}
	}
	return list
}

func (s *Server) conversations(c fiber.Ctx) error {
	who, err := s.visitor(c)
	if err != nil {
		return err
	}
	page, err := pageOf(c)
	if err != nil {
		return err
	}
	if strings.HasPrefix(c.Params("slug"), desk.DraftMark) {
		return sendConversations(c, nil) // trying a draft leaves nothing behind
	}
	list, err := s.Desks.Conversations(c, who, c.Params("slug"), page)
	if err != nil {
		return err
	}
	return sendConversations(c, list)
}

func sendConversations(c fiber.Ctx, list []store.Conversation) error {
	bodies := make([]conversationBody, len(list))
	for i, conversation := range list {
		bodies[i] = conversationOf(conversation)
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(fiber.Map{"conversations": bodies})
}

func (s *Server) conversation(c fiber.Ctx) error {
	who, id, err := s.conversationAsked(c)
	if err != nil {
		return err
	}
	return s.sendConversation(c, who, id)
}

func (s *Server) sendConversation(c fiber.Ctx, who store.Visitor, id uuid.UUID) error {
	conversation, turns, err := s.Desks.Conversation(c, who, id)
	if err != nil {
		return err
	}
	b := s.withTurns(conversation, turns, s.tellsCost(c))
	c.Set("Cache-Control", "no-store")
	return c.JSON(b)
}

// tellsCost reports whether a maker asks, who may know what replies cost.
func (s *Server) tellsCost(c fiber.Ctx) bool {
	_, _, err := s.session(c)
	return err == nil
}

// hide takes out what only makers may know.
func (o *outcomeBody) hide() {
	o.Usage.Cost = 0
	for i := range o.Lanes {
		o.Lanes[i].Cost = 0
		if o.Blind {
			o.Lanes[i] = laneBody{Title: blindTitle(i), Text: o.Lanes[i].Text, Failed: o.Lanes[i].Failed}
		}
	}
}

// withTurns is a conversation as its visitor sees it, or a maker.
func (s *Server) withTurns(c store.Conversation, turns []store.Turn, maker bool) conversationBody {
	b := conversationOf(c)
	if c.Share != "" {
		b.Shared = s.sharePath(c.Share)
	}
	for _, t := range turns {
		b.Turns = append(b.Turns, turnOf(t, maker))
	}
	return b
}

func conversationOf(c store.Conversation) conversationBody {
	return conversationBody{
		ID: c.ID, Desk: c.Slug, Title: c.Title, Channel: c.Channel, StartedAt: c.StartedAt, AskedAt: c.AskedAt,
		Questions: c.Turns, Found: foundOf(c.Found),
	}
}

func foundOf(excerpt []words.Piece) (pieces []foundBody) {
	for _, p := range excerpt {
		pieces = append(pieces, foundBody(p))
	}
	return pieces
}

func turnOf(t store.Turn, maker bool) turnBody {
	return turnBody{
		ID: t.ID, Conversation: t.Conversation, Number: t.Number, Siblings: t.Siblings, Question: t.Question, AskedAt: t.AskedAt,
		Attempt: t.Attempt.Number, Attempts: t.Attempts, Model: t.Attempt.Model, Reply: t.Attempt.Reply, Helped: t.Attempt.Helped,
		Reason: t.Attempt.Reason, Remark: t.Attempt.Remark,
		Outcome: outcomeOf(desk.EndOf(t.Attempt), t.Attempt.StartedAt, maker),
	}
}

// outcomeOf is how an attempt ended, without what only makers may know unless
// it is one who asks.
func outcomeOf(e desk.End, started time.Time, maker bool) outcomeBody {
	o := outcomeBody{State: e.State, Finish: e.Finish, Usage: usageBody{e.PromptTokens, e.ReplyTokens, e.Cost}, Preferred: e.Preferred}
	for _, l := range e.Lanes {
		o.Show, o.Blind = l.Show, l.Blind && e.Preferred == nil
		o.Lanes = append(o.Lanes, laneBody{l.Title, l.Model, l.Text, l.Failed, l.Seconds, l.ReplyTokens, l.Cost})
	}
	for _, p := range e.Parts {
		o.Parts = append(o.Parts, partBody{p.Title, string(p.Type), p.Value})
	}
	if !e.At.IsZero() {
		o.Seconds = e.At.Sub(started).Seconds()
	}
	if e.Problem != "" {
		o.Problem = &troubleBody{e.Problem, desk.Sentence(e.Problem), e.ProblemID, e.RetryAfter.Seconds()}
	}
	if !maker {
		o.hide()
	}
	return o
}

// readJSON reads a request's body.
func readJSON(c fiber.Ctx, into any) error {
	if err := json.Unmarshal(c.Body(), into); err != nil {
		return invalid("The body of the request is not the JSON that is expected here: " + err.Error())
	}
	return nil
}
