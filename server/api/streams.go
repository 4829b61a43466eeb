package api

import (
	"sync"

	"woolsignal/server/access"
)

// mostStreams bounds how many live streams one person may have open.
const mostStreams = 50

// streams counts the live streams of each person.
type streams struct {
	mu sync.Mutex // guards by
	by map[int64]int
}

// open counts one more, where there may be one.
func (s *streams) open(p access.Person) bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.by == nil {
		s.by = map[int64]int{}
	}
	if s.by[p.ID] >= mostStreams {
		return false
	}
	s.by[p.ID]++
	return true
}

func (s *streams) close(p access.Person) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.by[p.ID]--; s.by[p.ID] == 0 {
		delete(s.by, p.ID)
	}
}
