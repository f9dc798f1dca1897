package main

import (
	"bytes"
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/binary"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"strings"
	"sync"
	"time"
)

// carried is what is brought in and mixed down while editors edit.
type carried struct {
	mu      sync.Mutex
	begun   []load
	refused int // asked for and not begun
}

func (c *carried) add(l load) {
	c.mu.Lock()
	c.begun = append(c.begun, l)
	c.mu.Unlock()
}

// A load is a recording that was said to have arrived, or a mixdown that was said to have begun: its job, where it is
// to be found, and its hash, "" if that is not known before.
type load struct{ what, job, path, sum string }

// uploadSeconds is how long each recording is.
const uploadSeconds = 15

// noise is a WAV file of noise that nobody else has: 48 kHz, 16 bits, one channel (RIFF, PCM).
func noise() []byte {
	const rate = 48000
	var b bytes.Buffer
	n := uint32(uploadSeconds * rate * 2)
	b.WriteString("RIFF")
	binary.Write(&b, binary.LittleEndian, 36+n)
	b.WriteString("WAVEfmt ")
	for _, v := range []any{uint32(16), uint16(1), uint16(1), uint32(rate), uint32(rate * 2), uint16(2), uint16(16)} {
		binary.Write(&b, binary.LittleEndian, v)
	}
	b.WriteString("data")
	binary.Write(&b, binary.LittleEndian, n)
	for range n / 2 {
		binary.Write(&b, binary.LittleEndian, int16(rand.NormFloat64()*300))
	}
	return b.Bytes()
}

// carry brings recordings in, as often as one editor edits, and asks for half as many mixdowns, until ctx ends.
func (d *driving) carry(ctx context.Context, scenes []string) {
	var both sync.WaitGroup
	defer both.Wait()
	again := func(every time.Duration, do func(id string) error) {
		for {
			select {
			case <-ctx.Done():
				return
			case <-time.After(every/2 + rand.N(every)):
			}
			if err := do(scenes[rand.IntN(len(scenes))]); err != nil {
				d.carried.mu.Lock()
				d.carried.refused++
				d.carried.mu.Unlock()
			}
		}
	}
	both.Go(func() { again(d.pause, d.upload) })
	both.Go(func() { again(2*d.pause, d.mixDown) })
}

func (d *driving) upload(id string) error {
	raw := noise()
	sum := sha256.Sum256(raw)
	hash := hex.EncodeToString(sum[:])
	q, err := http.NewRequest(http.MethodPost, d.base+"/scenes/"+id+"/sources", bytes.NewReader(raw))
	if err != nil {
		return err
	}
	q.Header.Set("Blendseam-Name", hash[:8]+".wav")
	var job struct{ ID string }
	if err := d.answered(q, &job); err != nil {
		return err
	}
	d.carried.add(load{"recordings", job.ID, "/media/" + hash[:16] + "/sound/48000", hash})
	return nil
}

func (d *driving) mixDown(id string) error {
	var job struct{ ID string }
	if err := d.post("/scenes/"+id+"/mixdowns", map[string]any{"kind": ".mp3"}, &job); err != nil {
		return err
	}
	d.carried.add(load{"mixdowns", job.ID, "/made/" + job.ID, ""})
	return nil
}

// carriedJudge says what became of what was brought in and mixed down: each is there, or is said not to be.
func (d *driving) carriedJudge(c *cluster) error {
	db, err := sql.Open("mysql", c.dsnOf(0))
	if err != nil {
		return err
	}
	defer db.Close()
	wrong, states := 0, map[string]int{}
	for _, l := range d.carried.begun {
		state, err := ended(db, l.job)
		if err != nil {
			return err
		}
		states[l.what+" "+state]++
		if state == "done" {
			err = d.sameOn(c, l.path, l.sum)
		} else if state == "running" {
			err = errors.New("its job does not end")
		}
		if err != nil {
			fmt.Printf("   of the %s one is not as it should be: %v\n", l.what, err)
			wrong++
		}
	}
	fmt.Printf("brought in and mixed down: %s; %d were not begun, and said so; %d are not as they should be\n",
		counted(states), d.carried.refused, wrong)
	if wrong > 0 {
		return fmt.Errorf("%d recordings and mixdowns are not as they should be", wrong)
	}
	return nil
}

func counted(states map[string]int) string {
	return strings.TrimSuffix(strings.TrimPrefix(fmt.Sprint(states), "map["), "]")
}

// stuckAfter is how long a job may go on once nothing is killed any more.
const stuckAfter = time.Minute

// ended waits until a job is over, and gives its state.
func ended(db *sql.DB, job string) (state string, err error) {
	for end := time.Now().Add(stuckAfter); ; time.Sleep(100 * time.Millisecond) {
		err := db.QueryRow("SELECT state FROM jobs WHERE id = ?", job).Scan(&state)
		if err != nil || state != "running" || time.Now().After(end) {
			return state, err
		}
	}
}

// sameOn asks every program for a file, which has to be the same from all, and have a hash if one is given.
func (d *driving) sameOn(c *cluster, path, want string) error {
	for i := range c.programs {
		raw, err := d.fetched(fmt.Sprintf("http://127.0.0.1:%d%s", programPort+i, path))
		if err != nil {
			return err
		}
		sum := sha256.Sum256(raw)
		is := hex.EncodeToString(sum[:])
		if want != "" && is != want {
			return fmt.Errorf("%s from program %d has another hash", path, i+1)
		}
		want = is
	}
	return nil
}

// answered sends a request and reads its answer.
func (d *driving) answered(q *http.Request, to any) error {
	a, err := d.client.Do(q)
	if err != nil {
		return err
	}
	defer a.Body.Close()
	said, err := io.ReadAll(a.Body)
	if err != nil {
		return err
	}
	if a.StatusCode >= 300 {
		return &status{a.StatusCode, string(said[:min(len(said), 200)])}
	}
	return json.Unmarshal(said, to)
}
