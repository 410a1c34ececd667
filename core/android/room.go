package android

// The bounds of what is kept of one phone's outputs. A phone has some hundred
// packages, and prints some megabytes about them.
const (
	maxKept       = 40 << 20 // bytes of text, with what it takes to hold them
	maxLines      = 4_000_000
	maxShortLines = 500_000 // lines of outputs whose lines stand for themselves
	maxReports    = 200     // outputs in one reading
	maxPackages   = 20_000
	maxProperties = 20_000
)

// room is how much may still be kept of one phone's outputs, all of them
// together. What does not fit is left out, and its report says so.
type room struct{ bytes, lines int }

func newRoom() *room { return &room{maxKept, maxShortLines} }

// take reserves room for a text of n bytes in something of its own; it reports
// whether there is that much. A room once full stays full.
func (r *room) take(n int) bool {
	const held = 64 // what a text takes besides itself: a map's entry, a slice's
	if r.bytes -= n + held; r.bytes < 0 {
		r.bytes = 0
		return false
	}
	return true
}

// line reserves room for a line of a short output.
func (r *room) line() bool {
	r.lines--
	return r.lines >= 0
}

// tooMuch is what is missing of an output that is longer than any phone's.
const tooMuch = "there is more of it than any phone prints; the rest was left out"

// overflow notes that the rest of an output is left out.
func (r *Report) overflow() { r.full = true }

// close says of an output that was longer than any phone's that it is not
// whole, whatever it ended with.
func (r *Report) close() {
	if r.full {
		r.Complete, r.Missing = false, tooMuch
	}
}
