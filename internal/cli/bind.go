package cli

import (
	"fmt"
	"reflect"
	"strconv"
	"strings"

	"github.com/spf13/cobra"
)

// bind adds the fields of a struct to a command as its options, so that each option stands once: with its
// name, its meaning and the variable that it fills. Embedded structs are options that several commands share.
//
//	option    name of the option; with a letter after a comma: output,o
//	usage     what it does
//	value     the word of usage that names its value in the help
//	default   value if it is omitted
//	least, most   bounds of a whole number
//	forms     output formats, the first being the default
//	split     "yes": values of a list may be separated by commas
//	complete  what the shell offers: see [completers]
func bind(cmd *cobra.Command, options any) { bindAll(cmd, reflect.ValueOf(options).Elem()) }

func bindAll(cmd *cobra.Command, v reflect.Value) {
	for i := range v.NumField() {
		field, tag := v.Field(i), v.Type().Field(i)
		if tag.Anonymous {
			bindAll(cmd, field)
			continue
		}
		if tag.Tag.Get("option") == "" {
			panic(fmt.Sprintf("%s.%s has no option", v.Type(), tag.Name)) // every command is made in a test
		}
		bindField(cmd, field.Addr().Interface(), tag.Tag)
	}
}

func bindField(cmd *cobra.Command, to any, tag reflect.StructTag) {
	name, letter, _ := strings.Cut(tag.Get("option"), ",")
	usage, preset := tag.Get("usage"), tag.Get("default")
	if value := tag.Get("value"); value != "" {
		usage = strings.Replace(usage, value, "`"+value+"`", 1)
	}
	if forms := tag.Get("forms"); forms != "" {
		cmd.Annotations = map[string]string{"forms": forms}
		preset, _, _ = strings.Cut(forms, ",")
		usage = "output format: " + strings.ReplaceAll(forms, ",", ", ")
	}
	flags := cmd.Flags()
	switch to := to.(type) {
	case *string:
		flags.StringVarP(to, name, letter, preset, usage)
	case *bool:
		flags.BoolVarP(to, name, letter, false, usage)
	case *int:
		n := &number{to: to, least: bound(tag, "least"), most: bound(tag, "most")}
		if preset != "" {
			*to = mustNumber(preset)
		}
		flags.VarP(n, name, letter, usage)
	case *int64:
		flags.Int64VarP(to, name, letter, 0, usage)
	case *[]string:
		if tag.Get("split") != "" {
			flags.StringSliceVarP(to, name, letter, nil, usage)
		} else {
			flags.StringArrayVarP(to, name, letter, nil, usage)
		}
	default:
		panic(fmt.Sprintf("an option of type %T", to))
	}
	offer(cmd, name, tag)
}

func bound(tag reflect.StructTag, name string) int { return mustNumber(tag.Get(name)) }

func mustNumber(text string) int {
	n, err := strconv.Atoi(text)
	if err != nil {
		panic(err)
	}
	return n
}

// serviceOptions are how a command finds its service; see [clientOf].
type serviceOptions struct {
	Server    string `option:"server" usage:"address of the service, such as http://host:port (or ROLLTOP_SERVER, or the address of rolltop login)"`
	Token     string `option:"token" usage:"token for the service (or ROLLTOP_TOKEN, or the token of rolltop login)"`
	TokenFile string `option:"token-file" usage:"file with the token (-: standard input)"`
	Pin       string `option:"pin" usage:"SHA-256 fingerprint of the self-signed certificate of the service (or ROLLTOP_PIN)"`
}

// listed are the options of a command that prints rows.
type listed struct {
	Format string `option:"format" forms:"text,json,ndjson,csv"`
	output
	serviceOptions
}

// shown are the options of a command that prints one thing.
type shown struct {
	Format string `option:"format" forms:"text,json"`
	output
	serviceOptions
}

// output is where a command prints.
type output struct {
	Output string `option:"output,o" usage:"file to write; an existing file is not overwritten (default, and -: standard output)" complete:"file"`
}

// path is the file to write; "" and - are standard output.
func (o *output) path() string { return o.Output }

// where are the options of a command about the machines of a filter.
type where struct {
	Where string `option:"where" usage:"filter of machines, such as 'disposition=refit site=\"Gull Quay\"'" complete:"filter"`
}

// sure are the options of a command that deletes.
type sure struct {
	Yes bool `option:"yes" usage:"answer the question with yes"`
}
