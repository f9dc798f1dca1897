// Package core has the rules of the job in its packages, and nothing of its own: no interface, no database, no files of
// ours.
package core
