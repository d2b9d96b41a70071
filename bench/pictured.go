package main

import (
	"bufio"
	"bytes"
	"context"
	"encoding/base64"
	"fmt"
	"image/jpeg"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"github.com/kovidgoyal/imaging"

	"juvalogos/core/picture/picturetest"
	"juvalogos/internal/client"
)

// depicting is the argument with which this program is one that decodes, scales and
// writes a picture as often as it is told to, with the library that we use.
const depicting = "depicting"

// keptSide is the longer side of pictures as the service keeps them.
const keptSide = 2048

// depictByHand does it for every line that it reads, and answers how long it took, in ms.
func depictByHand(file string) {
	lines := bufio.NewScanner(os.Stdin)
	for lines.Scan() {
		body, err := os.ReadFile(file)
		if err != nil {
			return
		}
		began := time.Now()
		dots, err := imaging.Decode(bytes.NewReader(body), imaging.Backends(imaging.GO_IMAGE))
		if err != nil {
			return
		}
		b := dots.Bounds()
		by := float64(keptSide) / float64(max(b.Dx(), b.Dy()))
		dots = imaging.Resize(dots, int(by*float64(b.Dx())), int(by*float64(b.Dy())), imaging.CatmullRom)
		scaled := time.Since(began)
		if err := jpeg.Encode(io.Discard, dots, &jpeg.Options{Quality: 88}); err != nil {
			return
		}
		fmt.Println(scaled.Seconds()*1000, time.Since(began).Seconds()*1000)
	}
}

// byHand is that program while it runs.
type byHand struct {
	cmd *exec.Cmd
	in  io.WriteCloser
	out *bufio.Scanner
}

func startByHand(file string) (*byHand, error) {
	self, err := os.Executable()
	if err != nil {
		return nil, err
	}
	cmd := exec.Command(self, depicting, file)
	in, err := cmd.StdinPipe()
	if err != nil {
		return nil, err
	}
	out, err := cmd.StdoutPipe()
	if err != nil {
		return nil, err
	}
	return &byHand{cmd, in, bufio.NewScanner(out)}, cmd.Start()
}

// once has it done: how long decoding and scaling took, and writing a file too, in ms.
func (h *byHand) once() (scaled, written float64, err error) {
	if _, err := fmt.Fprintln(h.in); err != nil {
		return 0, 0, err
	}
	if !h.out.Scan() {
		return 0, 0, io.ErrUnexpectedEOF
	}
	_, err = fmt.Sscan(h.out.Text(), &scaled, &written)
	return scaled, written, err
}

const pictureQuestion = "What is in this picture?"

// pictured measures what a question with a photograph of 4 MB takes, beside decoding and
// scaling it by hand in a process that is warm, in turns. How long the model looks at
// the picture is taken off.
func pictured(s *setup, z sizes, r *report) error {
	ctx := context.Background()
	if _, err := s.client.Publish(ctx, "pictured.yaml", []byte("slug: pictured\ntitle: Pictured\npurpose: Measures.\n"+
		"model: orchid-eye\npictures: {take: true, most: 1}\n"), ""); err != nil {
		return err
	}
	if err := s.pace(5, 0, 40); err != nil {
		return err
	}
	photo := picturetest.JPEG(picturetest.Noisy(4000, 3000, 3))
	file := filepath.Join(s.folder, "photo.jpg")
	if err := os.WriteFile(file, photo, 0o600); err != nil {
		return err
	}
	hand, err := startByHand(file)
	if err != nil {
		return err
	}
	defer func() {
		hand.in.Close()
		_ = hand.cmd.Wait()
	}()
	var scaled, written, ours, model []float64
	before := 0.0
	for i := range max(6, z.questions/10) {
		asked, kept, err := s.askPictured(ctx, photo)
		if err != nil {
			return err
		}
		looked, err := s.look(kept)
		if err != nil {
			return err
		}
		one, whole, err := hand.once()
		if err != nil {
			return err
		}
		if i < 2 { // all are warm after that
			for _, pid := range append(s.readerPIDs(), s.service.Process.Pid, hand.cmd.Process.Pid) {
				_ = os.WriteFile(fmt.Sprintf("/proc/%d/clear_refs", pid), []byte("5"), 0) // the peak begins anew
			}
			before = megabytes(s.service.Process.Pid, "status", "VmRSS")
			continue
		}
		scaled, written, ours, model = append(scaled, one), append(written, whole), append(ours, asked),
			append(model, looked)
	}
	mid := func(all []float64) float64 { return quantile(all, 0.5) }
	added := mid(ours) - mid(model)
	r.begin(fmt.Sprintf("A question with a photograph of %.1f MB, %d in turns: from its first byte to the first word",
		float64(len(photo))/(1<<20), len(ours)), "", "median", "to by hand")
	ratio := func(ms float64) string { return fmt.Sprintf("%.2f", ms/mid(written)) }
	r.row("by hand, warm: decoded and scaled to 2048 dots", fmt.Sprintf("%.0f ms", mid(scaled)), ratio(mid(scaled)))
	r.row("by hand, warm: and written as JPEG, as a model takes it", fmt.Sprintf("%.0f ms", mid(written)), "1.00")
	r.row("the model itself, asked with what comes of that", fmt.Sprintf("%.0f ms", mid(model)), "")
	r.row("a desk, given the photograph and asked", fmt.Sprintf("%.0f ms", mid(ours)), "")
	r.row("a desk, without what the model takes (aim: 1.05 at most)", fmt.Sprintf("%.0f ms", added), ratio(added))

	byHandMB := megabytes(hand.cmd.Process.Pid, "status", "VmHWM")
	readerMB := 0.0
	for _, pid := range s.readerPIDs() {
		readerMB = max(readerMB, megabytes(pid, "status", "VmHWM"))
	}
	grown := max(0, megabytes(s.service.Process.Pid, "status", "VmHWM")-before)
	r.begin("... and the most memory meanwhile", "", "figure")
	r.row("by hand", fmt.Sprintf("%.0f MB", byHandMB))
	r.row("our process that reads pictures", fmt.Sprintf("%.0f MB", readerMB))
	r.row("the service, over what it had before", fmt.Sprintf("%.0f MB", grown))
	r.row("ours over that by hand (aim: 30 MB at most)", fmt.Sprintf("%+.0f MB", readerMB+grown-byHandMB))
	return nil
}

// askPictured gives a picture and asks about it: how long it is to the first word, in ms,
// and the picture as the service keeps it.
func (s *setup) askPictured(ctx context.Context, photo []byte) (took float64, kept []byte, err error) {
	began := time.Now()
	given, err := s.client.GivePicture(ctx, "pictured", "", "photo.jpg", bytes.NewReader(photo))
	if err != nil {
		return 0, nil, err
	}
	if len(given.Pictures) != 1 {
		return 0, nil, fmt.Errorf("the picture was not taken: %+v", given.Refused)
	}
	_, err = s.client.Ask(ctx, client.Question{Desk: "pictured", Conversation: given.Conversation,
		Text: pictureQuestion}, client.Follower{Text: func(string) {
		if took == 0 {
			took = time.Since(began).Seconds() * 1000
		}
	}})
	if err != nil {
		return 0, nil, err
	}
	kept, err = s.client.PictureFile(ctx, given.Pictures[0].ID)
	return took, kept, err
}

// look is how long the model itself takes to the first word about a picture, in ms.
func (s *setup) look(picture []byte) (float64, error) {
	body := fmt.Sprintf(`{"model": "orchid-eye", "stream": true, "messages": [{"role": "user", "content": [
		{"type": "image_url", "image_url": {"url": "data:image/jpeg;base64,%s"}}, {"type": "text", "text": %q}]}]}`,
		base64.StdEncoding.EncodeToString(picture), pictureQuestion)
	request, err := http.NewRequest(http.MethodPost, direct+"/v1/chat/completions", strings.NewReader(body))
	if err != nil {
		return 0, err
	}
	request.Header.Set("Content-Type", "application/json")
	request.Header.Set("Authorization", "Bearer "+key)
	began := time.Now()
	response, err := s.http.Do(request)
	if err != nil {
		return 0, err
	}
	defer response.Body.Close()
	lines := bufio.NewScanner(response.Body)
	took := 0.0
	for lines.Scan() {
		if took == 0 && strings.Contains(lines.Text(), `"content":"`) && !strings.Contains(lines.Text(), `"content":""`) {
			took = time.Since(began).Seconds() * 1000
		}
	}
	if took == 0 {
		return 0, fmt.Errorf("the model said nothing about the picture: %s", response.Status)
	}
	return took, lines.Err()
}

// readerPIDs are the processes in which the service reads.
func (s *setup) readerPIDs() (pids []int) {
	out, _ := exec.Command("pgrep", "-P", strconv.Itoa(s.service.Process.Pid)).Output()
	databases := s.databasePIDs()
	for _, field := range strings.Fields(string(out)) {
		pid, err := strconv.Atoi(field)
		if err == nil && (len(databases) == 0 || pid != databases[0]) {
			pids = append(pids, pid)
		}
	}
	return pids
}
