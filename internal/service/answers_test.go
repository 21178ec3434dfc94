package service

import "testing"

// What was said of a machine is forgotten with any change of it, also where the change
// comes while the sentence is being worked out.
func TestSaid(t *testing.T) {
	var s remembered
	of := sentence{waived: "x"}
	is := of
	is.text = "it can"
	has := func(id int64) bool {
		text, ok := s.get(id, of)
		return ok && text == "it can"
	}
	s.put(s.begin(), 1, is)
	if !has(1) || has(2) {
		t.Error("a sentence is not remembered, or one that was not said is")
	}
	if _, ok := s.get(1, sentence{}); ok {
		t.Error("it is taken for one with other waivers")
	}
	begun := s.begin()
	s.forget([]int64{1}, false)
	if has(1) {
		t.Error("it outlives a change")
	}
	s.put(begun, 1, is)
	s.put(begun, 2, is)
	if has(1) || !has(2) {
		t.Error("a sentence on facts from before a change is remembered, or one on other facts is not")
	}
	begun = s.begin()
	s.forget(nil, true)
	s.put(begun, 3, is)
	if has(2) || has(3) {
		t.Error("a sentence outlives other rules")
	}
	begun = s.begin()
	for id := range int64(maxForgotten + 10) {
		s.forget([]int64{id}, false)
	}
	s.put(begun, 5, is)
	if has(5) {
		t.Error("a sentence outlives a change that is no longer noted")
	}
	for id := range int64(maxRemembered + 10) {
		s.put(s.begin(), id, is)
	}
	if len(s.list) > maxRemembered {
		t.Errorf("%d are remembered", len(s.list))
	}
}
