package web

import (
	"io"
	"time"

	"github.com/gofiber/fiber/v3"

	"juvalogos/internal/limits"
	"juvalogos/internal/reply"
)

const (
	// pace is the least time between two texts of a stream: below what an eye
	// or a screen can tell apart. A model that is faster than that costs one
	// write for many tokens.
	pace = 8 * time.Millisecond
	// heartbeat keeps proxies from closing a quiet stream.
	heartbeat = 15 * time.Second
)

// A format writes a reply in one protocol. Each method appends to b.
type format interface {
	begin(b []byte, from int) []byte
	text(b, text []byte, offset int) []byte
	lane(b []byte, n reply.LaneText, whole bool) []byte
	thought(b []byte, n reply.LaneText, whole bool) []byte
	notice(b []byte, n reply.Notice) []byte
	piece(b []byte, p reply.Piece) []byte
	idle(b []byte) []byte
	// progress is called at every look before the end.
	progress(b []byte, v reply.View) []byte
	end(b []byte, v reply.View) []byte
}

// follow answers with a reply as it grows, from an offset in bytes on. left, if
// not nil, is called when the reader goes away before the end.
func follow(c fiber.Ctx, r *reply.Reply, from int, f format, left func()) error {
	return followCounted(c, r, from, f, left, nil)
}

// followCounted is follow for a stream that counts until its end.
func followCounted(c fiber.Ctx, r *reply.Reply, from int, f format, left func(), taken *limits.Reservation) error {
	c.Set("Content-Type", "text/event-stream; charset=utf-8")
	c.Set("Cache-Control", "no-store")
	c.Set("X-Accel-Buffering", "no") // asks proxies not to hold the stream back
	return c.SendStream(&stream{listener: r.Listen(), reply: r, format: f, offset: from,
		timer: time.NewTimer(heartbeat), left: left, taken: taken})
}

// stream is the body of an answer that follows a reply. The server reads it
// and sends what each Read returns, so one goroutine serves one reader.
type stream struct {
	listener *reply.Listener
	reply    *reply.Reply
	format   format
	timer    *time.Timer
	left     func()
	taken    *limits.Reservation // for as long as it is read

	begun     bool
	over      bool
	offset    int
	noticeSeq int
	lanes     []int // how much of each was sent
	thoughts  []int // and of what was thought before each
	pieces    int   // how many were sent
	lastText  time.Time
	text, out []byte // buffers
	pending   []byte // what of out has not been read
}

// Read blocks until there is something to send.
func (s *stream) Read(p []byte) (int, error) {
	for len(s.pending) == 0 {
		if s.over {
			return 0, io.EOF
		}
		s.out = s.out[:0]
		if s.begun {
			s.wait()
		}
		s.gather()
		s.pending = s.out
	}
	n := copy(p, s.pending)
	s.pending = s.pending[n:]
	return n, nil
}

// wait returns when the reply has changed, or when it is time for a sign of
// life, which it adds.
func (s *stream) wait() {
	s.timer.Reset(heartbeat)
	select {
	case <-s.listener.Wake:
	case <-s.timer.C:
		s.out = s.format.idle(s.out)
	}
	if since := time.Since(s.lastText); since < pace {
		time.Sleep(pace - since)
	}
}

func (s *stream) gather() {
	v := s.reply.Since(s.offset, s.text[:0])
	s.text = v.Text
	if !s.begun {
		s.begun = true
		s.out = s.format.begin(s.out, v.From)
	}
	before := len(s.thoughts)
	var thought []reply.LaneText
	thought, s.thoughts = s.reply.ThoughtsSince(s.thoughts)
	for _, n := range thought {
		s.lastText = time.Now()
		s.out = s.format.thought(s.out, n, n.Lane >= before)
	}
	if v.NoticeSeq > s.noticeSeq && !v.Settled {
		s.noticeSeq = v.NoticeSeq
		s.out = s.format.notice(s.out, v.Notice)
	}
	for _, p := range s.reply.PiecesSince(s.pieces) {
		s.pieces++
		s.out = s.format.piece(s.out, p)
	}
	if len(v.Text) > 0 {
		s.offset, s.lastText = v.Offset, time.Now()
		s.out = s.format.text(s.out, v.Text, v.Offset)
	}
	if s.reply.Choosing.Show != "" {
		known := len(s.lanes)
		var news []reply.LaneText
		news, s.lanes = s.reply.LanesSince(s.lanes)
		for _, n := range news {
			s.lastText = time.Now()
			s.out = s.format.lane(s.out, n, n.Lane >= known)
		}
	}
	if !v.Settled {
		s.out = s.format.progress(s.out, v)
	} else {
		s.over = true
		s.out = s.format.end(s.out, v)
	}
}

// Close is called by the server when the reader is gone or has everything.
func (s *stream) Close() error {
	s.timer.Stop()
	s.listener.Close()
	s.taken.Done()
	if s.left != nil && !s.over {
		s.left()
	}
	return nil
}
