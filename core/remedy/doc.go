// Package remedy works out what it takes: from findings to a disposition and
// one ordered plan for the machine.
//
// Steps are data (steps/*.yaml). Each says when it can be done, what it changes
// of the facts, what must stand before it and what comes with it. The solver
// looks for the least steps whose simulated effects make every failing
// requirement true; the route (in place, by an interim release, afresh) is
// chosen first, so that nothing is repaired that a reinstallation replaces.
// Nothing here runs a step: Rolltop says and confirms.
package remedy
