package remedy

import (
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/release"
)

// fixture says when a fact that a setting or a part changes on most machines
// cannot be changed on this one. Doubt stands where no fact tells it for certain.
type fixture struct {
	id    fact.ID
	when  func(facts) need.Truth
	doubt bool
}

// facts is what a machine is known to be, for the questions of fixtures.
type facts struct{ *fact.Facts }

// is says whether a fact has a value.
func (f facts) is(id fact.ID, word string) need.Truth {
	v := f.Value(id)
	switch {
	case !v.Known():
		return need.Unknown
	case f.Is(id, word):
		return need.True
	}
	return need.False
}

// no says whether a fact is known to be false.
func (f facts) no(id fact.ID) need.Truth {
	v := f.Value(id)
	switch {
	case !v.Known():
		return need.Unknown
	case v.Bool():
		return need.False
	}
	return need.True
}

// noFreeSlot says whether no slot for memory is free, as far as what is said of
// slots can be relied on.
func (f facts) noFreeSlot() need.Truth {
	free := f.Value(fact.MemoryFreeSlots)
	switch {
	case !free.Known() || !f.FirstHand(fact.MemoryFreeSlots):
		return need.Unknown
	case free.Float() > 0:
		return need.False
	}
	return need.True
}

// soldered says whether all memory is soldered.
func (f facts) soldered() need.Truth {
	v := f.Value(fact.MemorySoldered)
	if !v.Known() {
		return need.Unknown
	}
	if v.Bool() {
		return need.True
	}
	return need.False
}

// memoryFixed: all memory is soldered and no slot is free. On a portable machine
// soldered modules are believed, since nothing speaks against them.
func memoryFixed(f facts) need.Truth {
	free := f.noFreeSlot()
	if free == need.Unknown && f.soldered() == need.True && f.Value(fact.MemoryFreeSlots).Known() &&
		f.Value(fact.MemoryFreeSlots).Float() <= 0 {
		free = need.True
	}
	return min(f.soldered(), free)
}

func portable(f facts) need.Truth {
	return max(f.is(fact.DeviceForm, "laptop"), f.is(fact.DeviceForm, "tablet"))
}

var fixtures = []fixture{
	{id: fact.MemoryInstalled, when: memoryFixed},
	{id: fact.MemoryVisible, when: memoryFixed},
	// Built-in flash is soldered. An empty bay is neither known nor ruled out.
	{id: fact.DiskBytes, when: func(f facts) need.Truth { return f.is(fact.DiskKind, "emmc") }, doubt: true},
	{id: fact.DiskKind, when: func(f facts) need.Truth { return f.is(fact.DiskKind, "emmc") }, doubt: true},
	{id: fact.AdapterLevel, when: portable},
	{id: fact.AdapterCount, when: portable},
	// Whether a newer driver can do what the present one cannot is not known before
	// it is tried.
	{id: fact.AdapterModel, when: portable, doubt: true},
	{id: fact.BootMode, when: func(f facts) need.Truth { return f.no(fact.UEFICapable) }},
	{id: fact.SecureBoot, when: func(f facts) need.Truth { return f.no(fact.SecureBootCapable) }},
	// A TPM that is not seen may be there: nothing proves that there is none.
	{id: fact.TPMState, when: func(f facts) need.Truth {
		return min(f.no(fact.ProcessorTPM), f.no(fact.TPMHeader))
	}, doubt: true},
	{id: fact.TPMVersion, when: func(f facts) need.Truth {
		return min(f.no(fact.ProcessorTPM), f.no(fact.TPMHeader), f.no(fact.TPMChangeable))
	}},
}

// fixed says whether nothing can change a fact on this machine: no setting, no
// part, no host, no installation and nobody.
func fixed(id fact.ID, f *fact.Facts) need.Truth {
	for i := range fixtures {
		x := &fixtures[i]
		if x.id != id {
			continue
		}
		if f.Guest() {
			return need.False // its host gives it what it has
		}
		t := x.when(facts{f})
		if x.doubt {
			t = min(t, need.Unknown)
		}
		return t
	}
	if id.Change() != fact.ByNothing {
		return need.False
	}
	if f.Guest() {
		switch id {
		case fact.ProcessorCores, fact.ProcessorThreads, fact.ProcessorPackages, fact.UEFICapable, fact.UEFIBits,
			fact.SecureBootCapable,
			fact.MemoryMax, fact.MemorySlots, fact.MemorySoldered:
			return need.False
		}
		return need.Unknown // another host may have another processor
	}
	if !f.FirstHand(id) {
		return need.Unknown
	}
	return need.True
}

// favourable says whether a need could come to be met on this machine by changing
// what can be changed. strict takes what may be changeable as changeable: where
// even then the answer is False, the machine is proven not to meet the need.
// Without strict, whatever is not known to be changeable stays as it is.
func favourable(n need.Need, v fact.View, f *fact.Facts, strict bool) need.Truth {
	return couldBe(n, v, f, strict, need.True)
}

// couldBe is [favourable] with the truth that is wished for, which turns round
// below a “not”.
func couldBe(n need.Need, v fact.View, f *fact.Facts, strict bool, wish need.Truth) need.Truth {
	switch x := n.(type) {
	case *need.AllOf:
		t := need.True
		for _, p := range x.Parts {
			t = min(t, couldBe(p, v, f, strict, wish))
		}
		return t
	case *need.AnyOf:
		t := need.False
		for _, p := range x.Parts {
			t = max(t, couldBe(p, v, f, strict, wish))
		}
		return t
	case *need.NotOf:
		return -couldBe(x.Part, v, f, strict, -wish)
	case *need.Each:
		for l := range x.Leaves() {
			if changeable(l, f, strict) {
				return wish
			}
		}
		return x.Test(v)
	case need.Leaf:
		if changeable(x, f, strict) {
			return wish
		}
		return x.Test(v)
	}
	return need.Unknown
}

func changeable(l need.Leaf, f *fact.Facts, strict bool) bool {
	t := fixed(l.Fact(), f)
	if x, ok := l.(*need.AtLeast); ok {
		t = max(t, capped(x, f))
	}
	switch t {
	case need.False:
		return true
	case need.Unknown:
		return strict
	}
	return false
}

// capped says whether more memory is asked for than the machine takes. Only what
// somebody looked up tells that for certain.
func capped(x *need.AtLeast, f *fact.Facts) need.Truth {
	if x.Fact() != fact.MemoryInstalled || f.Guest() {
		return need.False
	}
	most := f.Value(fact.MemoryMax)
	switch {
	case !most.Known():
		return need.Unknown
	case x.Limit.Float() <= most.Float():
		return need.False
	case f.FirstHand(fact.MemoryMax):
		return need.True
	}
	return need.Unknown
}

// proven: the machine cannot meet the requirement, and what was read proves it. A
// requirement whose severity lets the release install proves nothing of that kind.
func proven(q *release.Requirement, f *fact.Facts) bool {
	return !q.Waivable() && !doubted(q, f) && favourable(q.Need, f.View(), f, true) == need.False
}

// possible: what is not known allows that the machine cannot meet the requirement.
func possible(q *release.Requirement, f *fact.Facts) bool {
	return !q.Waivable() && (doubted(q, f) || favourable(q.Need, f.View(), f, false) != need.True)
}

// doubted: sources disagree on what the requirement reads.
func doubted(q *release.Requirement, f *fact.Facts) bool {
	if !f.Conflicting() {
		return false
	}
	for l := range q.Need.Leaves() {
		if l.Fact().Group() == fact.NoGroup && len(f.Get(l.Fact()).Others()) > 0 {
			return true
		}
	}
	return false
}
