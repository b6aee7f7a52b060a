package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"slices"
	"sync"
	"time"
)

// waiting is a batch on its way to the disk.
type waiting struct {
	batch []statement
	err   error
	done  chan struct{}
}

// queue are the batches that wait for the disk. Whoever has the turn writes for all of them: what
// waited meanwhile shares a transaction, in the order in which it came, and each has its own answer.
type queue struct {
	mu   sync.Mutex
	all  []*waiting
	turn chan struct{}
}

// How many batches share a transaction, and of how many statements: nobody waits for a whole survey
// that came after.
const (
	mostTogether    = 64
	mostStatements  = 400
	savepoint       = `SAVEPOINT one`
	backToSavepoint = `ROLLBACK TO one`
	keepSavepoint   = `RELEASE one`
)

func (l *queue) join(batch []statement) *waiting {
	w := &waiting{batch: batch, done: make(chan struct{})}
	l.mu.Lock()
	defer l.mu.Unlock()
	l.all = append(l.all, w)
	return w
}

// leave takes a batch out of the line, and is false where it is being written.
func (l *queue) leave(w *waiting) bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	i := slices.Index(l.all, w)
	if i < 0 {
		return false
	}
	l.all = slices.Delete(l.all, i, i+1)
	return true
}

// take gives those whose turn it is.
func (l *queue) take() []*waiting {
	l.mu.Lock()
	defer l.mu.Unlock()
	n, statements := 0, 0
	for n < min(len(l.all), mostTogether) && (n == 0 || statements+len(l.all[n].batch) <= mostStatements) {
		statements += len(l.all[n].batch)
		n++
	}
	taken := slices.Clone(l.all[:n])
	l.all = slices.Delete(l.all, 0, n)
	return taken
}

// send writes a batch: all of it or nothing. What it says is done is on the disk, in the file that is at
// the store's path. Errors: errOvertaken, or one that wraps ErrCannotSave.
func (s *Store) send(ctx context.Context, batch ...statement) error {
	if err := s.gone(); err != nil {
		return err
	}
	me := s.queue.join(batch)
	late := time.NewTimer(2 * patience)
	defer late.Stop()
	for {
		select {
		case <-me.done:
			return me.err
		case s.queue.turn <- struct{}{}:
			s.together(s.queue.take())
			<-s.queue.turn
		case <-ctx.Done():
			if s.queue.leave(me) {
				return ctx.Err()
			}
			<-me.done // a request that ends does not end it half way
			return me.err
		case <-late.C:
			if s.queue.leave(me) {
				return fmt.Errorf("%w: another program holds it, and others wait for it", ErrCannotSave)
			}
			<-me.done
			return me.err
		}
	}
}

// together writes batches in one transaction; where one of them cannot be written, each in its own.
func (s *Store) together(all []*waiting) {
	if len(all) == 0 {
		return
	}
	begun, err := s.transact(all)
	for _, w := range all {
		if err != nil && begun && len(all) > 1 {
			if _, alone := s.transact([]*waiting{w}); alone != nil {
				w.err = alone
			}
		} else if err != nil {
			w.err = err
		}
		if w.err == nil {
			w.err = s.gone()
		}
		close(w.done)
	}
}

// transact writes batches in one transaction. Those whose guard hit no row are left out of it, and have that
// as their error; any other error is of all of them, and nothing is written. Where it was not even
// begun, it would be no better for one alone.
func (s *Store) transact(all []*waiting) (begun bool, err error) {
	ctx := context.Background()
	_, write := s.dbs()
	tx, err := write.BeginTx(ctx, nil)
	if err != nil {
		return false, explain(err)
	}
	defer tx.Rollback()
	var version int64
	if err := tx.QueryRowContext(ctx, askVersion).Scan(&version); err != nil {
		return true, explain(err)
	}
	if version > newest {
		return true, ErrUpdated
	}
	for _, w := range all {
		w.err = nil
		if _, err := tx.ExecContext(ctx, savepoint); err != nil {
			return true, explain(err)
		}
		end := keepSavepoint
		switch err := run(ctx, tx, w.batch); {
		case errors.Is(err, errOvertaken):
			w.err, end = err, backToSavepoint+`; `+keepSavepoint
		case err != nil:
			return true, err
		}
		if _, err := tx.ExecContext(ctx, end); err != nil {
			return true, explain(err)
		}
	}
	return true, explain(tx.Commit())
}

// run makes the statements of a batch.
func run(ctx context.Context, tx *sql.Tx, batch []statement) error {
	for _, st := range batch {
		res, err := tx.ExecContext(ctx, st.sql, st.args...)
		if err != nil {
			return explain(err)
		}
		if st.guard {
			if n, err := res.RowsAffected(); err != nil || n != 1 {
				return errOvertaken
			}
		}
	}
	return nil
}
