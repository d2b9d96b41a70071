package reply

import "time"

// AwaitFolds waits until no summary is being made.
func (s *Service) AwaitFolds() {
	for {
		s.mu.Lock()
		n := len(s.folding)
		s.mu.Unlock()
		if n == 0 {
			return
		}
		time.Sleep(2 * time.Millisecond)
	}
}
