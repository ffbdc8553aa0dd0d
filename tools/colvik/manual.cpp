// The manual page and the shell's completions, made from the text of --help.
#include <CLI/CLI.hpp>

#include <ostream>
#include <string>

#include "commands.h"

namespace colvik::tool {
namespace {

// Text of a roff page: a backslash, and a dot or an apostrophe that begins a line, mean something
// there.
std::string roff(const std::string& text) {
  std::string out;
  for (const char c : text) {
    const bool at_start = out.empty() || out.back() == '\n';
    if (c == '\\') out += "\\e";
    else if (c == '-') out += "\\-";
    else if (at_start && (c == '.' || c == '\'')) out += std::string("\\&") + c;
    else out += c;
  }
  return out;
}

std::string names_of(const CLI::Option& option) {
  std::string names =
      option.get_positional() ? option.get_name(true, false) : option.get_name(false, true);
  if (!option.get_positional() && option.get_type_size() != 0)
    names += " " + option.get_type_name();
  return names;
}

void print_options(const CLI::App& app, std::ostream& out) {
  for (const CLI::Option* option : app.get_options()) {
    if (option->get_description().empty()) continue;
    out << ".TP\n.B " << roff(names_of(*option)) << '\n' << roff(option->get_description()) << '\n';
  }
}

const auto every_command = [](const CLI::App*) { return true; };

}  // namespace

void print_manual(const CLI::App& app, std::ostream& out) {
  out << ".TH COLVIK 1 \"\" \"colvik " COLVIK_VERSION "\" \"User commands\"\n"
      << ".SH NAME\ncolvik \\- run contact scenes and say what fired\n"
      << ".SH SYNOPSIS\n.B colvik\n.I COMMAND\n[options]\n"
      << ".SH DESCRIPTION\n"
      << roff(app.get_description()) << "\n.SH OPTIONS\n";
  print_options(app, out);
  out << ".SH COMMANDS\n";
  for (const CLI::App* command : app.get_subcommands(every_command)) {
    out << ".SS colvik " << roff(command->get_name()) << '\n'
        << roff(command->get_description()) << '\n';
    print_options(*command, out);
  }
  out << ".SH NOTES\n.nf\n" << roff(app.get_footer()) << "\n.fi\n";
}

void print_completion(const CLI::App& app, std::ostream& out) {
  std::string commands;
  std::string cases;
  for (const CLI::App* command : app.get_subcommands(every_command)) {
    commands += (commands.empty() ? "" : " ") + command->get_name();
    std::string options;
    for (const CLI::Option* option : command->get_options())
      for (const std::string& name : option->get_lnames())
        options += (options.empty() ? "--" : " --") + name;
    cases += "    " + command->get_name() + ") words=\"" + options + "\" ;;\n";
  }
  out << "# bash completion for colvik\n_colvik() {\n  local word=${COMP_WORDS[COMP_CWORD]} words\n"
      << "  case ${COMP_WORDS[1]} in\n"
      << cases << "    *) words=\"" << commands << " --help --version\" ;;\n  esac\n"
      << "  if ((COMP_CWORD == 1)); then words=\"" << commands << " --help --version\"; fi\n"
      << "  COMPREPLY=($(compgen -W \"$words\" -- \"$word\"))\n}\n"
      << "complete -o default -F _colvik colvik\n";
}

}  // namespace colvik::tool
