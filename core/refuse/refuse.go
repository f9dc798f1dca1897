// Package refuse has the errors that are meant for a person: a sentence that says what is wrong, where, and what would
// work. Only these are shown with their words; any other error is the program's own affair, and goes to its log.
package refuse

import (
	"fmt"
	"unicode"
	"unicode/utf8"
)

// An Error is what a person is told. It may stand for another error.
type Error struct {
	Words string
	err   error
}

// Errorf returns an error with the words of a format. %w keeps what it stands for.
func Errorf(format string, args ...any) *Error {
	err := fmt.Errorf(format, args...)
	return &Error{err.Error(), err}
}

// Because returns an error with the words of another, which it stands for.
func Because(err error) *Error { return &Error{err.Error(), err} }

func (e *Error) Error() string { return e.Words }

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
