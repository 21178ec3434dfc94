package cli

import (
	"strconv"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
)

func modelsCommand() *cobra.Command {
	return noun("models", "Facts of all machines of a model: list, set, remove", "models", listModelFacts,
		command("set MAKER MODEL FACT=VALUE", "Enter a fact for all machines of a model", setModelFact),
		command("remove ID", "Remove a fact of a model", removeModelFact))
}

func listModelFacts(c *call[listed]) error {
	form, s, err := c.asked()
	if err != nil {
		return err
	}
	l, err := s.ModelFacts(c.ctx())
	if err != nil {
		return err
	}
	table := listing[api.ModelFact]{format: "rolltop-model-facts/1", none: "No facts of models.",
		columns: []column[api.ModelFact]{
			{name: "id", head: "Id", value: func(f *api.ModelFact) string { return strconv.FormatInt(f.ID, 10) }},
			{name: "maker", only: true, value: func(f *api.ModelFact) string { return f.Maker }},
			{name: "model", head: "Model", value: func(f *api.ModelFact) string { return f.Model },
				text: func(f *api.ModelFact) string { return spaced(f.Maker, f.Model) }},
			{name: "fact", only: true, value: func(f *api.ModelFact) string { return f.Fact }},
			{name: "value", head: "Fact", value: func(f *api.ModelFact) string { return f.Value },
				text: func(f *api.ModelFact) string { return f.Fact + " = " + f.Value }},
			{
				name:  "machines",
				head:  "Machines",
				value: func(f *api.ModelFact) string { return strconv.Itoa(f.Machines) },
			},
			{name: "by", head: "By", value: func(f *api.ModelFact) string { return f.By }},
			{name: "note", head: "Note", value: func(f *api.ModelFact) string { return f.Note }},
		}}
	return table.print(c.place, form, l, l.Facts)
}

// modelOptions are those of a fact of a model.
type modelOptions struct {
	Note string `option:"note" usage:"where the value was read"`
	serviceOptions
}

func setModelFact(c *call[modelOptions]) error {
	name, value, err := factAndValue(c.args[2])
	if err != nil {
		return err
	}
	s, err := c.client()
	if err != nil {
		return err
	}
	got, err := s.AddModelFact(c.ctx(),
		api.AddModelFact{Maker: c.args[0], Model: c.args[1], Fact: name, Value: value, Note: c.o.Note})
	if err != nil {
		return asUsage(err)
	}
	c.done(
		"Entered for %s. The disposition of %d changed.",
		say.Count(got.Machines, "machine", "machines"),
		got.Settled,
	)
	return nil
}

func removeModelFact(c *call[removeOptions]) error {
	id, err := c.id(0, "the id of a fact of a model", "rolltop machines models")
	if err != nil {
		return err
	}
	s, err := c.client()
	if err != nil {
		return err
	}
	if err := c.sure(c.o.Yes, "Remove the fact %d of a model from all its machines?", id); err != nil {
		return err
	}
	got, err := s.RemoveModelFact(c.ctx(), id)
	if err != nil {
		return err
	}
	c.done(
		"Removed from %s. The disposition of %d changed.",
		say.Count(got.Machines, "machine", "machines"),
		got.Settled,
	)
	return nil
}
