package cli

import (
	"errors"
	"fmt"
	"strconv"

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
		return fmt.Errorf("--%s %q is not a valid value; %s", f.Name, wrong.GetValue(), valuesOf(f.Value))
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

// valuesOf says what values an option takes.
func valuesOf(v pflag.Value) string {
	if n, ok := v.(*number); ok {
		return fmt.Sprintf("write a whole number from %d to %d", n.least, n.most)
	}
	switch v.Type() {
	case "int", "int64", "count":
		return "write a whole number"
	case "bool":
		return "write true or false"
	case "duration":
		return "write a time such as 30s or 5m"
	}
	return "see --help"
}

// number is the value of an option that is a whole number within bounds. The default may lie outside
// of them.
type number struct {
	to          *int
	least, most int
}

// Set reads a number.
func (n *number) Set(text string) error {
	v, err := strconv.Atoi(text)
	if err != nil || v < n.least || v > n.most {
		return errors.New(valuesOf(n))
	}
	*n.to = v
	return nil
}

// String is the number.
func (n *number) String() string {
	if n.to == nil {
		return "0"
	}
	return strconv.Itoa(*n.to)
}

// Type is that of a plain number, so that the help names it as one.
func (n *number) Type() string { return "int" }
