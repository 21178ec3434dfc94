// Package say makes every sentence that Rolltop shows: values with their
// units, needs, outcomes, steps, answers. The console, the client and the
// reports show these and never their own, so that all say the same words.
package say
