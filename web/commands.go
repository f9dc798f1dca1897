package web

// A command is something that can be done in the scene, findable by any of its words.
type command struct {
	ID    string   `json:"id"`
	Words string   `json:"words"`
	Find  string   `json:"find,omitempty"` // more words to find it by
	Keys  []string `json:"keys,omitempty"` // as KeyboardEvent.key gives them, after Ctrl+, Alt+, Shift+
}

// commands is the table of all of them: the page's keys, its search and its list of keys read it.
var commands = []command{
	{"play", "Play or stop", "listen hear start pause", []string{" "}},
	{"audition", "Audition the seam", "hear listen blend", []string{"Enter"}},
	{"hear_plain", "Hear the plain cut", "audition without blend before", []string{"1"}},
	{"hear_blended", "Hear it blended", "audition with after", []string{"2"}},
	{"hear_outgoing", "Hear the outgoing clip alone", "audition left", []string{"3"}},
	{"hear_incoming", "Hear the incoming clip alone", "audition right", []string{"4"}},
	{"next_seam", "Next seam", "down", []string{"ArrowDown"}},
	{"previous_seam", "Previous seam", "up", []string{"ArrowUp"}},
	{"frame_earlier", "Playhead one frame earlier", "left back step", []string{"ArrowLeft"}},
	{"frame_later", "Playhead one frame later", "right forward step", []string{"ArrowRight"}},
	{"second_earlier", "Playhead one second earlier", "left back step", []string{"Shift+ArrowLeft"}},
	{"second_later", "Playhead one second later", "right forward step", []string{"Shift+ArrowRight"}},
	{"to_start", "Playhead to the start", "home begin", []string{"Home"}},
	{"to_end", "Playhead to the end", "", []string{"End"}},
	{"blend", "Blend the cut", "crossfade fade", []string{"b"}},
	{"blend_off", "Take the blend off", "remove crossfade plain cut", nil},
	{"open_here", "Open here: the clip begins at the playhead, closed up", "trim head start", []string{"o"}},
	{"open_here_gap", "Open here and leave a gap", "trim head start", []string{"Shift+o"}},
	{"close_here", "Close here: the clip ends at the playhead, closed up", "trim tail end", []string{"c"}},
	{"close_here_gap", "Close here and leave a gap", "trim tail end", []string{"Shift+c"}},
	{"divide", "Divide the clip at the playhead", "split cut in two", []string{"d"}},
	{"remove", "Remove and leave a gap", "delete lift clip", []string{"Delete", "Backspace"}},
	{"remove_close", "Remove and close up", "delete clip ripple", []string{"Shift+Delete", "Shift+Backspace"}},
	{"edge_earlier", "Edge in hand one frame earlier", "nudge trim roll", []string{","}},
	{"edge_later", "Edge in hand one frame later", "nudge trim roll", []string{"."}},
	{"edge_earlier_5", "Edge in hand five frames earlier", "nudge trim roll", []string{"Shift+,", "Shift+<", "Shift+;"}},
	{"edge_later_5", "Edge in hand five frames later", "nudge trim roll", []string{"Shift+.", "Shift+>", "Shift+:"}},
	{"gain_down", "Clip one dB down", "gain level quieter volume", []string{"-"}},
	{"gain_up", "Clip one dB up", "gain level louder volume", []string{"="}},
	{"link", "Link or unlink the clip", "sync picture sound group", []string{"y"}},
	{"marker", "Set a marker at the playhead", "name moment", nil},
	{"snapping", "Snapping off and on", "snap ends", []string{"t"}},
	{"closer", "Timeline closer", "zoom in", []string{"Alt+ArrowUp"}},
	{"wider", "Timeline wider", "zoom out", []string{"Alt+ArrowDown"}},
	{"whole", "Timeline: the whole scene", "zoom fit all", []string{"Alt+Home"}},
	{"bench_closer", "Bench closer", "zoom in magnify samples", []string{"Alt+ArrowRight"}},
	{"bench_wider", "Bench wider", "zoom out", []string{"Alt+ArrowLeft"}},
	{"undo", "Undo", "take back", []string{"Ctrl+z"}},
	{"redo", "Redo", "again", []string{"Ctrl+Shift+z", "Ctrl+y"}},
	{"order", "Seam list by time or worst first", "sort", nil},
	{"light", "Linen or lamp", "theme dark light colours", nil},
	{"sources", "Go to the sources", "upload recordings files bring in", nil},
	{"hand_over", "Go to hand over", "export mixdown render deliver", nil},
	{"scene_file", "Write the scene file", "export otio save", nil},
	{"search", "Find a command", "search", []string{"/"}},
	{"keys", "Show all keys", "shortcuts help", []string{"?", "Shift+?"}},
}
