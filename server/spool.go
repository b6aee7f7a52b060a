package server

import (
	"errors"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"vestpin/read"
	"vestpin/store"
)

// What others send or fetch at their own pace lies beside the database meanwhile, in files without a
// name: the system gives their room back when the program ends, however it ends.

// leftOver is how old a file has to be that a program left behind when it was ended in that moment.
const leftOver = time.Hour

// clearSpool removes what was left behind.
func clearSpool(dir string) {
	names, _ := filepath.Glob(filepath.Join(dir, store.SpoolName+"*"))
	for _, name := range names {
		if i, err := os.Stat(name); err == nil && time.Since(i.ModTime()) > leftOver {
			os.RemoveAll(name)
		}
	}
}

// spooled is a file without a name, and how much is in it.
type spooled struct {
	*os.File
	size int64
}

// Len lets a reader know what will come.
func (s spooled) Len() int { return int(s.size) }

// Close gives the room back.
func (s spooled) Close() error {
	return errors.Join(s.File.Close(), removed(s.Name()))
}

func removed(name string) error {
	if err := os.Remove(name); !errors.Is(err, os.ErrNotExist) {
		return err
	}
	return nil
}

// spool keeps what comes until it is read, and is at its beginning then.
func spool(dir string, in io.Reader) (spooled, error) {
	f, err := os.CreateTemp(dir, store.SpoolName)
	if err != nil {
		return spooled{}, err
	}
	os.Remove(f.Name()) // not everywhere; then it goes when it is closed
	s := spooled{File: f}
	if s.size, err = io.Copy(f, in); err == nil {
		_, err = f.Seek(0, io.SeekStart)
	}
	if err != nil {
		s.Close()
		return spooled{}, err
	}
	return s, nil
}

// mostText is the largest text that is spooled: one byte more than is read, so that it is told.
const mostText = read.MaxBytes + 1

// Of what takes room beside the database, how many may be on their way.
const (
	mostUploads = 8
	mostBackups = 2
)

// Bodies of more bytes than this cost many times their size once they are understood; of those, how many are
// worked on at once.
const (
	largeBody = 1 << 20
	mostLarge = 3
)

// largeInTurn lets few requests with a large body through at once; the others wait, unread.
func (s *server) largeInTurn(c *gin.Context) {
	path := c.Request.URL.Path
	if n := c.Request.ContentLength; n >= 0 && n <= largeBody || strings.HasSuffix(path, evidencePath) || path == restorePath {
		c.Next() // those that take files have turns of their own
		return
	}
	select {
	case s.large <- struct{}{}:
		defer func() { <-s.large }()
		c.Next()
	case <-c.Request.Context().Done():
		c.Abort()
	}
}

// sendAll sends a file piece by piece; who takes none for long is left.
func sendAll(w http.ResponseWriter, f spooled) {
	control := http.NewResponseController(w)
	for {
		control.SetWriteDeadline(time.Now().Add(eachRead))
		if _, err := io.CopyN(w, f, 256<<10); err != nil {
			break
		}
	}
	control.SetWriteDeadline(time.Time{})
}
