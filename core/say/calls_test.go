package say_test

import (
	"go/ast"
	"go/parser"
	"go/token"
	"path/filepath"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/core/work"
	"rolltop.example/rolltop/internal/expect"
)

// functions are those that say something.
var functions = map[string]any{
	"Difference":        say.Difference,
	"Release":           say.Release,
	"ToldElsewhere":     say.ToldElsewhere,
	"Words":             say.Words,
	"AgeBasis":          say.AgeBasis,
	"Alternative":       say.Alternative,
	"Amount":            say.Amount,
	"And":               say.And,
	"Answer":            say.Answer,
	"AnsweredFact":      say.AnsweredFact,
	"AnsweredRow":       say.AnsweredRow,
	"Answers":           say.Answers,
	"AnyTitle":          say.AnyTitle,
	"Application":       say.Application,
	"Applications":      say.Applications,
	"AsOf":              say.AsOf,
	"Asked":             say.Asked,
	"Assigned":          say.Assigned,
	"AstrayWays":        say.AstrayWays,
	"At":                say.At,
	"Attestation":       say.Attestation,
	"Batch":             say.Batch,
	"Beside":            say.Beside,
	"BriefMoney":        say.BriefMoney,
	"Capital":           say.Capital,
	"Cause":             say.Cause,
	"Cell":              say.Cell,
	"Certainty":         say.Certainty,
	"Changeable":        say.Changeable,
	"Classes":           say.Classes,
	"Close":             say.Close,
	"Closing":           say.Closing,
	"Consequence":       say.Consequence,
	"Conversion":        say.Conversion,
	"Count":             say.Count,
	"Day":               say.Day,
	"DecideWays":        say.DecideWays,
	"Decision":          say.Decision,
	"Delivery":          say.Delivery,
	"Denied":            say.Denied,
	"Details":           say.Details,
	"DifferenceKinds":   say.DifferenceKinds,
	"Distance":          say.Distance,
	"Effort":            say.Effort,
	"End":               say.End,
	"Enter":             say.Enter,
	"Entry":             say.Entry,
	"Exact":             say.Exact,
	"Extended":          say.Extended,
	"ExtendedCost":      say.ExtendedCost,
	"Facts":             say.Facts,
	"FailOnlyOne":       say.FailOnlyOne,
	"Filled":            say.Filled,
	"FirstApplications": say.FirstApplications,
	"Fit":               say.Fit,
	"Follows":           say.Follows,
	"FutureInventory":   say.FutureInventory,
	"FutureRules":       say.FutureRules,
	"Gap":               say.Gap,
	"Has":               say.Has,
	"Hold":              say.Hold,
	"Hop":               say.Hop,
	"HopDelivery":       say.HopDelivery,
	"Hours":             say.Hours,
	"ImportRow":         say.ImportRow,
	"InWave.Standing":   (*say.InWave).Standing,
	"InstallationsOf":   say.InstallationsOf,
	"InventoryAge":      say.InventoryAge,
	"ItemState":         say.ItemState,
	"Keeps":             say.Keeps,
	"Known":             say.Known,
	"Languages":         say.Languages,
	"LatestStart":       say.LatestStart,
	"ListsDiffer":       say.ListsDiffer,
	"Lower":             say.Lower,
	"MachinesChanged":   say.MachinesChanged,
	"ManyChanged":       say.ManyChanged,
	"Message":           say.Message,
	"Moment":            say.Moment,
	"Money":             say.Money,
	"MoreListsDiffer":   say.MoreListsDiffer,
	"NamingRule":        say.NamingRule,
	"Need":              say.Need,
	"Needs":             say.Needs,
	"NeverApplies":      say.NeverApplies,
	"NoPage":            say.NoPage,
	"NoReason":          say.NoReason,
	"NoStep":            say.NoStep,
	"NotNow":            say.NotNow,
	"NoStepFor":         say.NoStepFor,
	"NotRead":           say.NotRead,
	"Noted":             say.Noted,
	"NothingInStock":    say.NothingInStock,
	"NothingToOrder":    say.NothingToOrder,
	"Number":            say.Number,
	"Offer":             say.Offer,
	"OfferedLate":       say.OfferedLate,
	"OldRules":          say.OldRules,
	"Or":                say.Or,
	"OrderChanged":      say.OrderChanged,
	"OrderName":         say.OrderName,
	"OrderText":         say.OrderText,
	"OrderedPart.Says":  (*say.OrderedPart).Says,
	"OtherTPM":          say.OtherTPM,
	"Overview":          say.Overview,
	"OwnStep":           say.OwnStep,
	"PageChanged":       say.PageChanged,
	"Part":              say.Part,
	"PartCounts":        say.PartCounts,
	"PartsAt":           say.PartsAt,
	"Plain":             say.Plain,
	"PlainDay":          say.PlainDay,
	"Possible":          say.Possible,
	"Prepared":          say.Prepared,
	"Quoted":            say.Quoted,
	"Reached":           say.Reached,
	"Reading":           say.Reading,
	"Reason":            say.Reason,
	"Recorded":          say.Recorded,
	"Replaced":          say.Replaced,
	"Requirement":       say.Requirement,
	"RestsOn":           say.RestsOn,
	"Round":             say.Round,
	"Route":             say.Route,
	"Rule":              say.Rule,
	"RuleChange":        say.RuleChange,
	"Sentence":          say.Sentence,
	"Short":             say.Short,
	"SlotsTwice":        say.SlotsTwice,
	"Spent":             say.Spent,
	"Stay":              say.Stay,
	"Stranger":          say.Stranger,
	"Superseded":        say.Superseded,
	"TPM":               say.TPM,
	"Takes":             say.Takes,
	"Target":            say.Target,
	"Terms":             say.Terms,
	"Ticked":            say.Ticked,
	"ToBuy":             say.ToBuy,
	"Unanimous":         say.Unanimous,
	"Undone":            say.Undone,
	"UpgradableInPlace": say.UpgradableInPlace,
	"Value":             say.Value,
	"VersionRange":      say.VersionRange,
	"VisitTime":         say.VisitTime,
	"Vouched":           say.Vouched,
	"Warranty":          say.Warranty,
	"Way":               say.Way,
	"Week.Says":         (*say.Week).Says,
	"Weighed":           say.Weighed,
	"Weight":            say.Weight,
	"WhatIf":            say.WhatIf,
	"When":              say.When,
	"Where":             say.Where,
	"WhyAfresh":         say.WhyAfresh,
	"Worklist":          say.Worklist,
}

// Every function of the package that others call is among them.
func TestEveryFunctionIsCalled(t *testing.T) {
	names, err := filepath.Glob("*.go")
	expect.NoError(t, err)
	for _, name := range names {
		if strings.HasSuffix(name, "_test.go") {
			continue
		}
		tree, err := parser.ParseFile(token.NewFileSet(), name, nil, 0)
		expect.NoError(t, err)
		for _, d := range tree.Decls {
			f, ok := d.(*ast.FuncDecl)
			if !ok || f.Recv != nil {
				continue
			}
			if f.Name.IsExported() {
				expect.That(t, f.Name.Name+" is called", functions[f.Name.Name] != nil)
			}
		}
	}
}

// Sentences of plain values, with nothing, one, two and many of each, are as recorded: a sum for each function,
// with the first one that it says. The other tests say what is right.
func TestSentencesOfPlainValuesAreAsRecorded(t *testing.T) {
	expect.Record(t, "testdata/calls.txt", expect.Calls(functions, append(
		work.ItemStates(),
		"update",
		"buy",
		"remove",
		"required",
		"advised",
		"optional",
		"in-place",
		"interim",
		"image",
		"reinstall",
		"am",
		"pm",
		"pc",
		"mac",
		"needs-rights",
		"not-offered",
		"read-failed",
		"not-asked",
		"disagree",
		"ready",
		"replace",
		"decide",
		"done",
		"failed",
		"1.2",
		"firmware",
		"discrete",
		"EUR",
	)...))
}

// A sentence begins with a capital letter where it begins with a letter, whatever its alphabet, and stays as it is
// otherwise.
func TestSentencesBegin(t *testing.T) {
	for _, c := range []struct{ text, want string }{
		{"", ""}, {"an order", "An order."}, {"“Memory” is short", "“Memory” is short."}, {"öffnen.", "Öffnen."},
		{"2 machines", "2 machines."},
	} {
		t.Run(c.text, func(t *testing.T) {
			expect.Same(t, "the sentence", say.Sentence(c.text), c.want)
		})
	}
}
