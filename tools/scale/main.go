// The program says what so many editors need: with -measure it measures what they cost on this machine, without it it
// simulates them with the figures that were measured (figures.json, kept with it).
package main

import (
	_ "embed"
	"encoding/json"
	"flag"
	"fmt"
	"os"
)

//go:embed figures.json
var kept []byte

// Figures are what things cost, as measured on one machine.
type Figures struct {
	Machine         string  `json:"machine"`
	EditProgramMS   float64 `json:"edit_program_ms"`         // processor time of the program for one edit
	EditDatabaseMS  float64 `json:"edit_database_ms"`        // and of the database
	EditBytes       float64 `json:"edit_bytes"`              // what one edit adds to the database
	PlayProgramS    float64 `json:"play_program_s"`          // processor time for an hour of playing
	PlayMB          float64 `json:"play_mb"`                 // sent for it
	MeasureSeamMS   float64 `json:"measure_seam_ms"`         // to measure one seam anew
	AnalyseProgramS float64 `json:"analyse_program_s"`       // for an hour of recording
	PageMB          float64 `json:"page_mb"`                 // memory of the program for a scene that is open
	PulseDatabaseMS float64 `json:"pulse_database_ms"`       // one look at what other processes did
	SeveralProgram  float64 `json:"edit_several_program_ms"` // of the programs for one edit in a cluster
	SeveralMS       float64 `json:"edit_several_ms"`         // of each of three databases, likewise
}

func main() {
	measure := flag.Bool("measure", false, "measure on this machine, and print figures.json")
	hours := flag.Float64("hours", 1, "hours of work that are simulated")
	flag.Parse()
	if err := run(*measure, *hours); err != nil {
		fmt.Fprintln(os.Stderr, "scale:", err)
		os.Exit(1)
	}
}

func run(measure bool, hours float64) error {
	if measure {
		f, err := measured()
		if err != nil {
			return err
		}
		raw, err := json.MarshalIndent(f, "", "\t")
		if err == nil {
			fmt.Println(string(raw))
		}
		return err
	}
	var f Figures
	if err := json.Unmarshal(kept, &f); err != nil {
		return err
	}
	fmt.Print(table(f, hours))
	return nil
}
