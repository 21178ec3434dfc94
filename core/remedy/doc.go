// Package remedy works out what it takes: from findings to a disposition and
// one ordered plan for the machine.
//
// Steps are data (steps/*.yaml). Each says when it can be done, what it changes
// of the facts, what it disturbs, and what it leaves to be done. What a hazard calls
// for stands in one table (safeguards.yaml): the planner adds it to what the solver
// chose, for every step. The solver
// looks for the least steps whose simulated effects make every failing
// requirement true; the route (in place, by an interim release, afresh) is
// chosen first, so that nothing is repaired that a reinstallation replaces.
// Nothing here runs a step: Rolltop says and confirms.
package remedy
