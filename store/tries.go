package store

import (
	"context"
	"time"
)

// Tries counts how often something was tried in windows of time, for all processes that share the database together.
// It is the counter of a limiter, httprate.LimitCounter.
type Tries struct {
	*Store
	window time.Duration
}

// Config tells how long a window is.
func (t *Tries) Config(_ int, window time.Duration) { t.window = window }

// Increment counts one more.
func (t *Tries) Increment(key string, window time.Time) error { return t.IncrementBy(key, window, 1) }

// IncrementBy counts so many more; the counts of windows long gone go.
func (t *Tries) IncrementBy(key string, window time.Time, n int) error {
	ctx, cancel := context.WithTimeout(context.Background(), answerLimit)
	defer cancel()
	_, err := t.exec(ctx, "INSERT INTO tries (what, since, n) VALUES (?, ?, ?) ON DUPLICATE KEY UPDATE n = n + ?",
		cut(key, 200), window.Unix(), n, n)
	if err == nil {
		_, err = t.exec(ctx, "DELETE FROM tries WHERE since < ? LIMIT 100", window.Add(-2*t.window).Unix())
	}
	return plain(err)
}

// ForgetSessions removes sessions of people that have run out.
func (s *Store) ForgetSessions(ctx context.Context) error {
	_, err := s.exec(ctx, "DELETE FROM sessions WHERE expiry < UTC_TIMESTAMP(6) LIMIT 1000")
	return plain(err)
}

// Get gives the counts of a window and of the one before it.
func (t *Tries) Get(key string, current, previous time.Time) (now, before int, err error) {
	ctx, cancel := context.WithTimeout(context.Background(), answerLimit)
	defer cancel()
	err = t.db.QueryRowContext(ctx, "SELECT COALESCE(SUM(IF(since = ?, n, 0)), 0), COALESCE(SUM(IF(since = ?, n, 0)), 0) "+
		"FROM tries WHERE what = ? AND since IN (?, ?)",
		current.Unix(), previous.Unix(), cut(key, 200), current.Unix(), previous.Unix()).Scan(&now, &before)
	return now, before, plain(err)
}
