package evidence

// maxTicks bounds a strip: more would not be told apart on screen.
const maxTicks = 120

// Strip writes trials as the ticks of a trial strip, nearest firmware first:
// one letter a trial (c clean, l function lost, f fault, n no-start, r
// refused; upper case where the package came back by itself) and a stroke
// before each farther group of firmwares. Groups without a trial are left
// out, and so is everything beyond 120 ticks.
func Strip(trials []Trial, method Method, target Firmware) string {
	return Gather(trials, method).Strip(target)
}

// Strip is the trial strip of gathered trials, as the function Strip writes it.
func (g Gathered) Strip(target Firmware) string {
	stand := g.find(target)
	distances := make([]Distance, len(g.tickSites))
	for i, s := range g.tickSites {
		distances[i] = s.from(stand)
	}
	strip, ticks := make([]byte, 0, min(len(g.ticks), maxTicks)+int(Otherwise)), 0
	for d := SameBuild; d <= Otherwise && ticks < maxTicks; d++ {
		first := true
		for i, t := range g.ticks {
			if distances[i] != d {
				continue
			}
			if ticks++; ticks > maxTicks {
				break
			}
			if first && len(strip) > 0 {
				strip = append(strip, '/')
			}
			first = false
			letter := t.Outcome.letter()
			if t.CameBack {
				letter -= 'a' - 'A'
			}
			strip = append(strip, letter)
		}
	}
	return string(strip)
}

// letter is the outcome's tick in a strip.
func (o Outcome) letter() byte {
	switch o {
	case FunctionLost:
		return 'l'
	case Fault:
		return 'f'
	case NoStart:
		return 'n'
	case Refused:
		return 'r'
	}
	return 'c'
}
