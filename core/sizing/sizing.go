// Package sizing computes what an installation takes for so many phones: disk,
// memory, processors, machines. It rests on what was measured of the tables and
// operations (docs/performance.md) and on a few assumptions, which are said.
package sizing

import (
	"fmt"
	"math"
)

// Assumed is what an installation is taken to be like. What is zero is as in
// Ordinary.
type Assumed struct {
	// Phones that were captured.
	Phones int64 `json:"phones"`
	// Packages of a phone.
	Packages int64 `json:"packages"`
	// CapturesAYear of each phone, kept for Years.
	CapturesAYear float64 `json:"capturesAYear"`
	Years         float64 `json:"years"`
	// Firmwares that the phones have, in all.
	Firmwares int64 `json:"firmwares"`
	// TrialsAPhone that people told of or that runs brought.
	TrialsAPhone float64 `json:"trialsAPhone"`
}

// Ordinary is what is assumed of an installation with so many phones: a
// firmware for each five hundred of them, though at least twenty and at most a
// hundred thousand, two captures a year, kept for three years.
func Ordinary(phones int64) Assumed {
	return Assumed{
		Phones: phones, Packages: 420, CapturesAYear: 2, Years: 3, TrialsAPhone: 2,
		Firmwares: min(max(phones/500, 20), 100_000),
	}
}

// What was measured: in bytes of a row with its keys at size 1 of
// scripts/catalogue.sql (an edit in the sample world; captures of 420 packages that
// tell each one's sizes, docs/performance.md), or in seconds of one core at 2.5 GHz.
const (
	captureBytes    = 13_500 // with what the packages take, and what has an icon
	differenceBytes = 148    // of a package that stands otherwise than in the inventory
	inventoryBytes  = 298
	presenceBytes   = 218
	figureBytes     = 325
	trialBytes      = 473 + 624 // and the edit that brought it
	logBytes        = 28_300    // of write-ahead log for a capture of known firmware
	savedShare      = 0.175     // of the tables, as pg_dump compresses them
	captureTakes    = 0.050     // read and stored
)

// What is assumed.
const (
	room        = 1.3      // for each byte: what updates leave behind until it is cleaned up
	differs     = 1.0 / 7  // of a phone's packages: its owner's own, and what a shop updated
	newestKeys  = 40       // bytes of a capture's keys where captures write: the newest hundredth
	farFigures  = 0.25     // figures that are made for a firmware's own place, of its packages
	busiest     = 4.0      // times the captures of an ordinary hour
	openHours   = 250 * 10 // of a year
	oneMachine  = 100_000  // phones, up to which a replica is not worth its keep
	manyPhones  = 3_000_000
	hoursToCopy = 100e9 // bytes of a database that takes hours to bring back
)

// Size is what it takes.
type Size struct {
	Assumed Assumed `json:"assumed"`
	// Sightings are what captures found, a package each; few of them are rows.
	Sightings int64 `json:"sightings"`
	// Disk of the database, of a day's write-ahead log and of one backup, in bytes.
	Disk    int64 `json:"disk"`
	LogADay int64 `json:"logADay"`
	Backup  int64 `json:"backup"`
	// Memory that the database should have to itself: what is asked for all the
	// time fits in. In bytes.
	Memory int64 `json:"memory"`
	// CapturesAnHour come in the busiest hour.
	CapturesAnHour float64 `json:"capturesAnHour"`
	// Cores are kept busy by them in that hour, on average.
	Cores float64 `json:"cores"`
	// Servers, Replicas are how many are advised, beside the primary.
	Servers  int `json:"servers"`
	Replicas int `json:"replicas"`
	// Advice is what else to do at this size.
	Advice []string `json:"advice" nullable:"false"`
}

// Of computes what an installation takes.
func Of(a Assumed) Size {
	o := Ordinary(a.Phones)
	fill(&a.Packages, o.Packages)
	fill(&a.CapturesAYear, o.CapturesAYear)
	fill(&a.Years, o.Years)
	fill(&a.Firmwares, o.Firmwares)
	fill(&a.TrialsAPhone, o.TrialsAPhone)
	captures := float64(a.Phones) * a.CapturesAYear * a.Years
	s := Size{Assumed: a, Sightings: int64(captures * float64(a.Packages))}
	// Figures are made by package and place, which grow with firmwares.
	shipped := float64(a.Firmwares) * float64(a.Packages)
	hot := shipped * (presenceBytes + farFigures*figureBytes)
	share := float64(a.Packages) / 420
	rest := shipped*inventoryBytes + captures*captureBytes*share + float64(s.Sightings)*differs*differenceBytes +
		float64(a.Phones)*a.TrialsAPhone*trialBytes
	s.Disk = int64((hot + rest) * room)
	s.Backup = int64((hot + rest) * savedShare)
	aDay := float64(a.Phones) * a.CapturesAYear / 365
	s.LogADay = int64(aDay * share * logBytes)
	s.Memory = max(int64(hot*room+captures*newestKeys), 256<<20)
	s.CapturesAnHour = float64(a.Phones) * a.CapturesAYear / openHours * busiest
	s.Cores = s.CapturesAnHour * captureTakes / 3600 * share
	s.Servers, s.Replicas = 1, 0
	if a.Phones > oneMachine {
		s.Servers, s.Replicas = 2, 1
	}
	if a.Phones > manyPhones {
		s.Servers, s.Replicas = 3, 2
	}
	s.Servers = max(s.Servers, int(math.Ceil(s.Cores)))
	s.Advice = advice(s)
	return s
}

func fill[T int64 | float64](value *T, ordinary T) {
	if *value == 0 {
		*value = ordinary
	}
}

func advice(s Size) []string {
	list := []string{}
	add := func(holds bool, words string, args ...any) {
		if holds {
			list = append(list, fmt.Sprintf(words, args...))
		}
	}
	add(s.Replicas == 0, "One machine does. Back it up elsewhere.")
	add(s.Replicas > 0, "A replica takes reads, and can be promoted: synchronous, nothing that was accepted goes with the primary.")
	add(s.Disk > hoursToCopy, "Point-in-time recovery beside the nightly backup: that one takes hours to bring back.")
	add(s.Servers > 2, "A pooler beside each database: servers have ten connections or more each.")
	return list
}
