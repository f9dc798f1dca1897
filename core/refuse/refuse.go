// Package refuse has the errors that are meant for a person: a sentence that says what is wrong, where, and what would
// work. Only these are shown with their words; any other error is the program's own affair, and goes to its log.
package refuse

import (
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"
)

// An Error is what a person is told. It may stand for another error.
type Error struct {
	words string
	named bool // it begins with a name, which stays as it is written
	err   error
}

// Errorf returns an error with the words of a format. %w keeps what it stands for.
func Errorf(format string, args ...any) *Error {
	err := fmt.Errorf(format, args...)
	return &Error{err.Error(), strings.HasPrefix(format, "%"), err}
}

// Because returns an error with the words of another, which it stands for; they may begin with the name of a file.
func Because(err error) *Error { return &Error{err.Error(), true, err} }

func (e *Error) Error() string { return e.words }

// Sentence returns the words as a sentence; a name at their start stays as it is written.
func (e *Error) Sentence() string {
	if e.named {
		return e.words
	}
	return Sentence(e.words)
}

// Unwrap returns what the error stands for.
func (e *Error) Unwrap() error { return e.err }

// Sentence returns words with a capital at their start and a full stop at their end.
func Sentence(words string) string {
	first, n := utf8.DecodeRuneInString(words)
	if n == 0 {
		return words
	}
	words = string(unicode.ToUpper(first)) + words[n:]
	switch words[len(words)-1] {
	case '.', '?', '!':
		return words
	}
	return words + "."
}
