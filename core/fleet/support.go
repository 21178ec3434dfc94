package fleet

import (
	"slices"
	"time"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
)

// Words of the bands of days until the end of support, the most urgent first.
const (
	SupportOver    = "over"
	Support30      = "30"
	Support90      = "90"
	Support180     = "180"
	SupportLater   = "later"
	SupportUnknown = "unknown"
)

// Band is a range of days until the end of support of what machines run, by their edition.
type Band struct {
	Word, Title string
	most        int // days; of later and unknown none
}

// Bands lists all bands, the most urgent first.
func Bands() []Band {
	return []Band{
		{SupportOver, "Support has ended", -1},
		{Support30, "Ends within 30 days", 30},
		{Support90, "Ends in 31 to 90 days", 90},
		{Support180, "Ends in 91 to 180 days", 180},
		{SupportLater, "Ends in more than 180 days", 0},
		{SupportUnknown, "No end is known", 0},
	}
}

// bandWords are the words of the bands, in their order.
var bandWords = func() []string {
	out := make([]string, 0, len(Bands()))
	for _, b := range Bands() {
		out = append(out, b.Word)
	}
	return out
}()

const secondsOfDay = 24 * 60 * 60

// dayOf is the number of a day, in days since 1970.
func dayOf(t time.Time) int32 { return int32(t.Unix() / secondsOfDay) }

// Counts says whether the end of support of what the machine runs concerns it: one that is done does not wait.
func (r *Row) waits() bool {
	return r.Release != nil && r.Installed != r.Release.Name && (!r.Judged || r.Disposition != remedy.Done)
}

// SupportEnds is when support of what the machine runs ends, by its edition; zero if that is unknown, or if the
// machine runs its target already.
func (r *Row) SupportEnds() time.Time {
	if r.supportDay == 0 {
		return time.Time{}
	}
	return time.Unix(int64(r.supportDay)*secondsOfDay, 0).UTC()
}

// DaysLeft is the number of days until support of what the machine runs ends, negative when it is over. It is known
// only where SupportEnds is.
func (r *Row) DaysLeft(now time.Time) int { return int(r.supportDay - dayOf(now)) }

// Band is the word of the band that the machine is in; "" if it runs its target already.
func (r *Row) Band(now time.Time) string {
	if !r.waits() {
		return ""
	}
	if r.supportDay == 0 {
		return SupportUnknown
	}
	days := r.DaysLeft(now)
	for _, b := range Bands() {
		if b.most != 0 && days <= b.most {
			return b.Word
		}
	}
	return SupportLater
}

// supportKey is what decides when support ends.
type supportKey struct {
	rel                *release.Release
	installed, edition string
}

// maxSupportKeys bounds what is remembered: releases come and go.
const maxSupportKeys = 4096

// supportDayOf is the day on which support of what a machine runs ends; 0 where it is unknown or does not matter.
func (x *Index) supportDayOf(r *Row, f *fact.Facts) int32 {
	if !r.waits() {
		return 0
	}
	k := supportKey{rel: r.Release, installed: r.Installed}
	if f != nil {
		k.edition = f.Value(fact.OSEdition).Text()
	}
	day, ok := x.supportDays[k]
	if !ok {
		if end := r.Release.SupportEnds(k.installed, k.edition); end != nil && !end.Ends.IsZero() {
			day = dayOf(end.Ends)
		}
		if x.supportDays == nil || len(x.supportDays) >= maxSupportKeys {
			x.supportDays = map[supportKey]int32{}
		}
		x.supportDays[k] = day
	}
	return day
}

// BandCount is how many machines are in a band.
type BandCount struct {
	Band
	Machines int
}

// Urgency counts machines by the days until the end of support of what they run, the most urgent first. Machines that
// run their target already are in no band, and bands without machines are left out.
func (s Selection) Urgency(now time.Time) []BandCount {
	at := map[string]int{}
	for _, i := range s.at {
		at[s.x.rows[i].Band(now)]++
	}
	var out []BandCount
	for _, b := range Bands() {
		if n := at[b.Word]; n > 0 {
			out = append(out, BandCount{b, n})
		}
	}
	return out
}

// pickEnds picks machines that run a release whose support ends within some days, or has ended.
func pickEnds(x *Index, t *term, f *Filter) pick {
	until := dayOf(f.now) + int32(t.whole())
	return func(at int32) bool {
		day := x.rows[at].supportDay
		return day != 0 && day <= until
	}
}

func pickBand(x *Index, t *term, f *Filter) pick {
	return func(at int32) bool {
		r := &x.rows[at]
		return r.waits() && slices.Contains(t.values, r.Band(f.now))
	}
}

// byUrgency orders machines by the end of support of what they run; those of which none is known, or that are done,
// come last.
func (x *Index) byUrgency(at int32) int64 {
	if day := x.rows[at].supportDay; day != 0 {
		return int64(day)
	}
	if x.rows[at].waits() {
		return 1 << 40
	}
	return 1 << 41
}
