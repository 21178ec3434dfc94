package server

import (
	"net/http"
	"time"
)

// writeTakes is how long whoever reads an answer may take for each piece of it. A reader
// that is slower would hold a copy of the database, or a connection, for as long as it likes.
const writeTakes = 30 * time.Second

// unhurried ends an answer that nobody reads.
func unhurried(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		next.ServeHTTP(&rolling{ResponseWriter: w, control: http.NewResponseController(w)}, r)
	})
}

// rolling moves the deadline with each piece that is written.
type rolling struct {
	http.ResponseWriter
	control *http.ResponseController
}

// Unwrap is for http.ResponseController.
func (r *rolling) Unwrap() http.ResponseWriter { return r.ResponseWriter }

// Flush is for those who look for an http.Flusher.
func (r *rolling) Flush() { _ = r.control.Flush() }

func (r *rolling) Write(b []byte) (int, error) {
	written := 0
	for {
		piece := b[written:min(len(b), written+writePiece)]
		_ = r.control.SetWriteDeadline(time.Now().Add(writeTakes)) // where there is none, there is none
		n, err := r.ResponseWriter.Write(piece)
		written += n
		if err != nil || written == len(b) {
			return written, err
		}
	}
}

// writePiece is how much is written under one deadline.
const writePiece = 256 << 10
