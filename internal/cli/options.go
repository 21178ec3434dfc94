package cli

import (
	"errors"
	"fmt"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"rolltop.example/rolltop/core/doc"
)

// optionMistake says what is wrong with an option, by the name that was typed, and what would be
// right.
func optionMistake(cmd *cobra.Command, err error) error {
	help := "see " + cmd.CommandPath() + " --help"
	var unknown *pflag.NotExistError
	var bare *pflag.ValueRequiredError
	var wrong *pflag.InvalidValueError
	var form *pflag.InvalidSyntaxError
	switch {
	case errors.As(err, &unknown) && unknown.GetSpecifiedShortnames() != "":
		return fmt.Errorf("there is no option -%s; %s", unknown.GetSpecifiedName(), help)
	case errors.As(err, &unknown):
		name := unknown.GetSpecifiedName()
		right := optionMeant(cmd, name)
		if right == "" {
			right = help
		}
		return fmt.Errorf("there is no option --%s; %s", name, right)
	case errors.As(err, &bare):
		return fmt.Errorf("--%s has no value; %s", bare.GetFlag().Name, help)
	case errors.As(err, &wrong):
		f := wrong.GetFlag()
		return fmt.Errorf("--%s %q is not a valid value; %s", f.Name, wrong.GetValue(), valuesOf(f.Value.Type()))
	case errors.As(err, &form):
		return fmt.Errorf("%q is not an option; %s", form.GetSpecifiedFlag(), help)
	}
	return fmt.Errorf("%w; %s", err, help)
}

// optionMeant names the option that was probably meant, or those that there are if they are few.
func optionMeant(cmd *cobra.Command, name string) string {
	var names []string
	cmd.Flags().VisitAll(func(f *pflag.Flag) { names = append(names, "--"+f.Name) })
	return doc.Suggest("--"+name, names)
}

// valuesOf says what values an option of a type takes.
func valuesOf(kind string) string {
	switch kind {
	case "int", "int64", "count":
		return "write a whole number"
	case "bool":
		return "write true or false"
	case "duration":
		return "write a time such as 30s or 5m"
	}
	return "see --help"
}
