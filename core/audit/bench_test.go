package audit_test

import (
	"context"
	"testing"

	"blendseam/core/audit"
	"blendseam/core/meter"
	"blendseam/internal/seamtest"
)

// BenchmarkAuditOf500 measures a scene of 500 seams whose recordings are analysed: 250 cuts on each of two dialogue
// tracks, over a bed.
func BenchmarkAuditOf500(b *testing.B) {
	s, open := seamtest.Long(b, 250)
	from := meter.NewSources(open, nil)
	for _, src := range s.Sources {
		if _, err := from.Analysis(context.Background(), s, src); err != nil {
			b.Fatal(err)
		}
	}
	for b.Loop() {
		all, err := audit.All(context.Background(), meter.NewMeter(s, from), 0)
		if err != nil {
			b.Fatal(err)
		}
		b.ReportMetric(float64(len(all)), "seams")
	}
}
