package store_test

import (
	"slices"
	"strings"
	"testing"

	"blendseam/store"
)

// Of several servers whichever answers is used.
func TestADatabaseOfSeveralServersIsFoundWhereOneAnswers(t *testing.T) {
	at := strings.Index(private.DSN, "@tcp(") + len("@tcp(")
	end := at + strings.Index(private.DSN[at:], ")")
	for _, hosts := range []string{"127.0.0.1:1," + private.DSN[at:end], private.DSN[at:end] + ", 127.0.0.1:1"} {
		s, err := store.Open(ctx, private.DSN[:at]+hosts+private.DSN[end:])
		if err != nil {
			t.Fatalf("%s: %v", hosts, err)
		}
		if _, err := s.Scenes(ctx); err != nil {
			t.Error(err)
		}
		s.Close()
	}
	_, err := store.Open(ctx, private.DSN[:at]+"127.0.0.1:1,127.0.0.1:2"+private.DSN[end:])
	if err == nil || !strings.Contains(err.Error(), "does not answer") {
		t.Errorf("none of several: %v", err)
	}
}

// A job is one process's until nothing is heard of it; whoever has lost it is told, and so is whoever is to stop.
func TestJobsHaveLeases(t *testing.T) {
	one, two := open(t), open(t)
	one.Process, two.Process = "lease one", "lease two"
	id := begin(t, one)
	j, err := one.AddJob(ctx, store.Job{Scene: id, Kind: "mixdown", Words: "WAV", Asked: []byte(`{"node":0}`)})
	if err != nil {
		t.Fatal(err)
	}
	before, err := one.Pulses(ctx, []string{id})
	if err != nil {
		t.Fatal(err)
	}
	if stopping, lost, err := one.Heartbeat(ctx, map[string]float64{j.ID: .25}); len(stopping)+len(lost) > 0 ||
		err != nil {
		t.Fatal(stopping, lost, err)
	}
	after, err := one.Pulses(ctx, []string{id})
	if err != nil || after[id].Signals <= before[id].Signals {
		t.Errorf("nobody is told how far it is: %v %v %v", before, after, err)
	}
	if list, err := two.Elsewhere(ctx, id); err != nil || len(list) != 1 || list[0].Done != .25 {
		t.Errorf("the other process sees %+v %v", list, err)
	}
	if those, broken, err := two.ClaimAbandoned(ctx, 100); len(those)+len(broken) > 0 || err != nil {
		t.Errorf("it is taken while it goes on: %v %v %v", those, broken, err)
	}
	if err := two.AskToStop(ctx, j.ID); err != nil {
		t.Fatal(err)
	}
	if stopping, _, err := one.Heartbeat(ctx, map[string]float64{j.ID: .5}); err != nil ||
		!slices.Equal(stopping, []string{j.ID}) {
		t.Errorf("it is not told to stop: %v %v", stopping, err)
	}
	// Nothing was heard of it for longer than its lease.
	if _, err := one.DB().Exec("UPDATE jobs SET beat = UTC_TIMESTAMP(3) - INTERVAL 11 SECOND WHERE id = ?",
		j.ID); err != nil {
		t.Fatal(err)
	}
	those, _, err := two.ClaimAbandoned(ctx, 100)
	if err != nil || len(those) != 1 || those[0].ID != j.ID {
		t.Fatalf("it is not taken: %v %v", those, err)
	}
	if again, _, err := one.ClaimAbandoned(ctx, 100); len(again) > 0 || err != nil {
		t.Errorf("two have it: %v %v", again, err)
	}
	if _, lost, err := one.Heartbeat(ctx, map[string]float64{j.ID: .75}); err != nil ||
		!slices.Equal(lost, []string{j.ID}) {
		t.Errorf("whoever lost it is not told: %v %v", lost, err)
	}
	// What the one that lost it says of its end does not count.
	j.State = "failed"
	if err := one.EndJob(ctx, j); err != nil {
		t.Fatal(err)
	}
	if now, err := two.Job(ctx, j.ID); err != nil || now.State != "running" {
		t.Errorf("it is %+v %v", now, err)
	}
	j.State = "done"
	if err := two.EndJob(ctx, j); err != nil {
		t.Fatal(err)
	}
	if now, err := one.Job(ctx, j.ID); err != nil || now.State != "done" {
		t.Errorf("it is %+v %v", now, err)
	}
}
