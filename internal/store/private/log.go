package private

import (
	"os"
	"path/filepath"
	"strings"
)

// largestLog is the size in bytes at which the server's log begins anew.
const largestLog = 16 << 20

func (s *Server) logPath() string { return filepath.Join(s.folder, "postgres.log") }

func (s *Server) openLog() (*os.File, error) {
	flags := os.O_CREATE | os.O_WRONLY | os.O_APPEND
	if info, err := os.Stat(s.logPath()); err == nil && info.Size() > largestLog {
		flags |= os.O_TRUNC
	}
	return os.OpenFile(s.logPath(), flags, 0o600)
}

// lastLogged returns the server's own last words that name a failure.
func (s *Server) lastLogged() string {
	text, err := os.ReadFile(s.logPath())
	if err != nil {
		return "it left no log"
	}
	return lastLine(string(text))
}

// lastLine returns the last line that names a failure, or the last one.
func lastLine(text string) string {
	lines := strings.Split(strings.TrimSpace(text), "\n")
	for i := len(lines) - 1; i >= max(0, len(lines)-20); i-- {
		if strings.Contains(lines[i], "FATAL") || strings.Contains(lines[i], "PANIC") ||
			strings.Contains(lines[i], "error:") {
			return lines[i]
		}
	}
	return lines[len(lines)-1]
}
