package web

import "time"

// SetDeadlines sets how long bodies may take, and gives what sets it back.
func SetDeadlines(small, silent time.Duration) (back func()) {
	a, b := deadline, idle
	deadline, idle = small, silent
	return func() { deadline, idle = a, b }
}
