package cli

import (
	"reflect"

	"rolltop.example/rolltop/internal/api"
)

// Formats are the JSON documents that commands print beside those that have a page of their own: the type of
// each by the name of its format, which is rolltop-NAME/1.
func Formats() map[string]reflect.Type {
	return map[string]reflect.Type{
		"application":       reflect.TypeFor[api.ApplicationMachines](),
		"answers":           reflect.TypeFor[api.FleetAnswers](),
		"applications":      reflect.TypeFor[api.ApplicationList](),
		"audit":             reflect.TypeFor[api.AuditLog](),
		"blackout":          reflect.TypeFor[api.Blackouts](),
		"checks":            reflect.TypeFor[Checks](),
		"decisions":         reflect.TypeFor[api.DecisionList](),
		"difference":        reflect.TypeFor[api.ReleaseDifference](),
		"duplicates":        reflect.TypeFor[api.DuplicateList](),
		"expected":          reflect.TypeFor[api.ExpectedList](),
		"filters":           reflect.TypeFor[api.SavedFilterList](),
		"fleet":             reflect.TypeFor[api.Fleet](),
		"imported":          reflect.TypeFor[Imported](),
		"knowledge":         reflect.TypeFor[api.KnowledgeList](),
		"machine":           reflect.TypeFor[api.Machine](),
		"machines":          reflect.TypeFor[api.MachineList](),
		"matrix":            reflect.TypeFor[api.Matrix](),
		"messages":          reflect.TypeFor[api.MessageList](),
		"model-facts":       reflect.TypeFor[api.ModelFactList](),
		"page":              reflect.TypeFor[api.PageComparison](),
		"knowledge-history": reflect.TypeFor[api.KnowledgeHistory](),
		"batches":           reflect.TypeFor[Batches](),
		"questions":         reflect.TypeFor[Questions](),
		"watch":             reflect.TypeFor[Watch](),
		"parts":             reflect.TypeFor[Parts](),
		"progress":          reflect.TypeFor[api.Progress](),
		"releases":          reflect.TypeFor[api.ReleaseList](),
		"rule-change":       reflect.TypeFor[api.RuleChange](),
		"rule-changes":      reflect.TypeFor[api.RuleChangeList](),
		"settings":          reflect.TypeFor[api.Settings](),
		"sheet":             reflect.TypeFor[api.SheetRead](),
		"sites":             reflect.TypeFor[api.SiteList](),
		"submitted":         reflect.TypeFor[SubmittedList](),
		"tokens":            reflect.TypeFor[api.TokenList](),
		"users":             reflect.TypeFor[api.UserList](),
		"version":           reflect.TypeFor[Version](),
		"wave":              reflect.TypeFor[api.WaveDetail](),
		"technicians":       reflect.TypeFor[api.TechnicianList](),
		"orders":            reflect.TypeFor[api.OrderList](),
		"order":             reflect.TypeFor[api.OrderDetail](),
		"replacements":      reflect.TypeFor[api.ReplacementList](),
		"hand-over":         reflect.TypeFor[api.HandOver](),
		"question-answers":  reflect.TypeFor[api.AnswerList](),
		"briefing":          reflect.TypeFor[api.Briefing](),
		"forecast":          reflect.TypeFor[api.ForecastList](),
		"waves":             reflect.TypeFor[api.WaveList](),
		"webhooks":          reflect.TypeFor[api.WebhookList](),
		"what-if":           reflect.TypeFor[api.WhatIf](),
		"wins":              reflect.TypeFor[api.Wins](),
		"work":              reflect.TypeFor[api.Work](),
	}
}
