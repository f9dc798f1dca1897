package mend_test

import (
	"context"
	"testing"

	"blendseam/core/audit"
	"blendseam/core/mend"
	"blendseam/internal/seamtest"
)

// BenchmarkMendOf119 mends 119 cuts between 8 takes of real voices, some nine minutes, whose recordings are analysed.
func BenchmarkMendOf119(b *testing.B) { benchmarkMend(b, 120) }

// BenchmarkMendOf500 mends 500 cuts between 8 takes.
func BenchmarkMendOf500(b *testing.B) { benchmarkMend(b, 501) }

func benchmarkMend(b *testing.B, clips int) {
	s := seamtest.Takes(b, 21, 8, clips, 4.5)
	all, err := audit.All(context.Background(), s.Meter(), 0)
	if err != nil {
		b.Fatal(err)
	}
	for b.Loop() {
		m, err := mend.New(s.Meter()).Mend(context.Background(), all, mend.MendOptions{})
		if err != nil {
			b.Fatal(err)
		}
		b.ReportMetric(float64(len(m.Changes)), "changes")
		b.ReportMetric(float64(s.Scene.Length())/seamtest.Rate, "seconds")
	}
}
