package main

import (
	"cmp"
	"container/heap"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
)

// What an editor does in an hour of work, as common practice has it (no source): an edit every 15 s, each of which lets
// two seams be measured anew; sound heard for a third of the time; a new recording of five minutes every hour.
const (
	editsAnHour   = 240
	seamsAnEdit   = 2
	playedShare   = 1. / 3
	recordedHours = 1. / 12
	blockS        = 1.  // sound is fetched in blocks of so many seconds
	busiestHour   = 1.6 // of the day, against its mean
)

// A Setup is what a number of editors is given.
type Setup struct {
	Editors   int
	Processes int
	Cores     int // of each process
	Databases int // servers, each of which does all that is written
	DBCores   int // of each
}

// An Outcome is what a simulation found.
type Outcome struct {
	EditP99MS, BlockP99MS float64
	ProgramLoad, DBLoad   float64 // share of their cores that is busy
	LogMBs                float64 // written to each database's log, a second
	NetMBs                float64 // sent by all processes
	StoredGB              float64 // a year of 1,800 hours of work, edits alone
}

// An event is something that happens at a time.
type event struct {
	at float64
	do func(now float64)
}

type events []event

func (e events) Len() int           { return len(e) }
func (e events) Less(i, j int) bool { return e[i].at < e[j].at }
func (e events) Swap(i, j int)      { e[i], e[j] = e[j], e[i] }
func (e *events) Push(x any)        { *e = append(*e, x.(event)) }
func (e *events) Pop() any          { old := *e; x := old[len(old)-1]; *e = old[:len(old)-1]; return x }

// A resource is so many cores with a queue; requests come before work that nobody waits for, as the program's threads
// of low priority have it.
type resource struct {
	cores, busy   int
	ahead, behind []func(now float64)
	used          float64
}

// simulate lets editors work for some seconds. What takes long is done in slices, as threads of low priority are.
func simulate(f Figures, s Setup, seconds float64, seed uint64) Outcome {
	rng := rand.New(rand.NewPCG(seed, 1))
	var q events
	at := func(t float64, do func(float64)) { heap.Push(&q, event{t, do}) }
	programs := make([]*resource, s.Processes)
	for i := range programs {
		programs[i] = &resource{cores: s.Cores}
	}
	database := &resource{cores: s.DBCores} // each of several does the same: one stands for all
	var next func(r *resource, now float64)
	begin := func(r *resource, need, now float64, then func(float64)) {
		r.busy++
		r.used += need
		at(now+need, func(t float64) {
			r.busy--
			then(t)
			next(r, t)
		})
	}
	next = func(r *resource, now float64) {
		for r.busy < r.cores && len(r.ahead)+len(r.behind) > 0 {
			list := &r.ahead
			if len(r.ahead) == 0 {
				list = &r.behind
			}
			do := (*list)[0]
			*list = (*list)[1:]
			do(now)
		}
	}
	ask := func(r *resource, need, now float64, waited bool, then func(float64)) {
		do := func(t float64) { begin(r, need, t, then) }
		if waited {
			r.ahead = append(r.ahead, do)
		} else {
			r.behind = append(r.behind, do)
		}
		next(r, now)
	}
	const slice = 0.01
	var beside func(r *resource, need, now float64)
	beside = func(r *resource, need, now float64) {
		if need <= 0 {
			return
		}
		ask(r, min(slice, need), now, false, func(t float64) { beside(r, need-slice, t) })
	}
	var edits, blocks []float64
	do, write := f.EditProgramMS, f.EditDatabaseMS
	if s.Databases > 1 {
		do, write = f.SeveralProgram, f.SeveralMS
	}
	for e := range s.Editors {
		r := programs[e%len(programs)]
		gap := 3600 / (editsAnHour * busiestHour)
		var edit func(float64)
		edit = func(now float64) {
			ask(r, do/1000, now, true, func(t float64) {
				ask(database, write/1000, t, true, func(t float64) {
					edits = append(edits, t-now)
					beside(r, seamsAnEdit*f.MeasureSeamMS/1000, t)
				})
			})
			at(now+rng.ExpFloat64()*gap, edit)
		}
		at(rng.Float64()*gap, edit)
		var play func(float64)
		play = func(now float64) { // a stretch of twenty seconds, block after block
			for i := range 20 {
				at(now+float64(i)*blockS, func(t float64) {
					ask(r, f.PlayProgramS*blockS/3600, t, true, func(z float64) { blocks = append(blocks, z-t) })
				})
			}
			at(now+20+rng.ExpFloat64()*20*(1/(playedShare*busiestHour)-1), play)
		}
		at(rng.Float64()*60, play)
		var record func(float64)
		record = func(now float64) {
			beside(r, recordedHours*f.AnalyseProgramS, now)
			at(now+rng.ExpFloat64()*3600/busiestHour, record)
		}
		at(rng.ExpFloat64()*3600, record)
	}
	for range programs { // each looks ten times a second what others did
		var look func(float64)
		look = func(now float64) {
			ask(database, f.PulseDatabaseMS/1000, now, true, func(float64) {})
			at(now+0.1, look)
		}
		at(rng.Float64()/10, look)
	}
	for len(q) > 0 && q[0].at < seconds {
		e := heap.Pop(&q).(event)
		e.do(e.at)
	}
	used := 0.
	for _, r := range programs {
		used += r.used
	}
	anHour := float64(s.Editors) * busiestHour
	return Outcome{
		EditP99MS: 1000 * quantile(edits, .99), BlockP99MS: 1000 * quantile(blocks, .99),
		ProgramLoad: used / seconds / float64(s.Processes*s.Cores), DBLoad: database.used / seconds / float64(s.DBCores),
		LogMBs:   anHour * editsAnHour * f.EditBytes / 3600 / 1e6,
		NetMBs:   anHour * playedShare * f.PlayMB / 3600,
		StoredGB: float64(s.Editors) * 1800 * editsAnHour * f.EditBytes / 1e9,
	}
}

func quantile(list []float64, q float64) float64 {
	if len(list) == 0 {
		return 0
	}
	slices.Sort(list)
	return list[min(len(list)-1, int(q*float64(len(list))))]
}

// fitting is the least that keeps edits under 100 ms and blocks under 200 ms for 99 of 100, with a third of the cores
// to spare.
func fitting(f Figures, editors int, seconds float64) (Setup, Outcome, string) {
	s := Setup{Editors: editors, Processes: 1, Cores: 2, Databases: 1, DBCores: 1}
	if editors > 50 {
		s.Processes, s.Databases = 3, 3
	}
	first := ""
	for {
		o := simulate(f, s, seconds, 1)
		program := o.ProgramLoad > 2./3 || o.BlockP99MS > 200
		db := o.DBLoad > 2./3 || o.EditP99MS > 100 && !program
		switch {
		case !program && !db:
			return s, o, cmp.Or(first, "nothing")
		case program:
			first = cmp.Or(first, "cores of the program")
			if s.Cores < 16 {
				s.Cores = min(16, int(math.Ceil(float64(s.Cores)*1.5)))
			} else {
				s.Processes += (s.Processes + 3) / 4
			}
		default:
			first = cmp.Or(first, "cores of the database")
			s.DBCores *= 2
		}
		if s.DBCores > 256 || s.Processes > 4000 {
			return s, o, cmp.Or(first, "all of it")
		}
	}
}

// table says what 20, 200, 2,000 and 20,000 editors need. The last are simulated by a tenth of them, as each
// process has
// its own and the database's share of each is the same.
func table(f Figures, hours float64) string {
	var b strings.Builder
	fmt.Fprintf(&b, "Figures of: %s\n\n", f.Machine)
	fmt.Fprintln(
		&b,
		"| editors | processes x cores | databases x cores | edit p99 | sound p99 | load | database | log | sent | "+
			"edits a year | gives way first |",
	)
	fmt.Fprintln(&b, "|---|---|---|---|---|---|---|---|---|---|---|")
	for _, n := range []int{20, 200, 2000, 20000} {
		seconds := 3600 * hours
		if n > 1000 {
			seconds /= float64(n) / 500 // as many events tell as much
		}
		s, o, first := fitting(f, n, max(30, seconds))
		fmt.Fprintf(
			&b,
			"| %d | %d x %d | %d x %d | %.0f ms | %.0f ms | %.0f %% | %.0f %% | %.2f MB/s | %.1f MB/s | %.0f GB | %s |\n",
			n,
			s.Processes,
			s.Cores,
			s.Databases,
			s.DBCores,
			o.EditP99MS,
			o.BlockP99MS,
			100*o.ProgramLoad,
			100*o.DBLoad,
			o.LogMBs,
			o.NetMBs,
			o.StoredGB,
			first,
		)
	}
	return b.String()
}
