#include "client/comparison_view.h"

#include <algorithm>
#include <fmt/format.h>

#include "base/clock.h"
#include "base/html.h"
#include "base/sizes.h"
#include "base/visible_name.h"
#include "client/render.h"

namespace vantro::client {
namespace {

using base::html_escaped;

constexpr std::size_t kLongestLine = 4096;

std::string counted(std::size_t count, const char* one, const char* many) {
  return fmt::format("{} {}", count, count == 1 ? one : many);
}

// Tabs are kept: they are the indentation of many configurations.
std::string line_text(const std::string& text) {
  std::string result;
  std::size_t from = 0;
  while (from <= text.size()) {
    const auto tab = std::min(text.find('\t', from), text.size());
    result += base::printable(text.substr(from, tab - from), kLongestLine);
    if (tab < text.size()) result += "    ";
    from = tab + 1;
  }
  return result;
}

std::string sections_text(const api::DiffHunk& hunk) {
  std::string text;
  for (const auto& one : hunk.sections) {
    auto shown = line_text(one);
    shown.erase(0, shown.find_first_not_of(' '));
    text += (text.empty() ? "" : " > ") + shown;
  }
  return text;
}

std::string number_or_blank(std::size_t number, std::size_t width) {
  return number == 0 ? std::string(width, ' ') : fmt::format("{:>{}}", number, width);
}

// -- HTML --

constexpr const char* kStyle = R"(
body { font: 15px/1.5 system-ui, sans-serif; color: #1d2529; background: #f7f6f2;
  max-width: 62rem; margin: 2rem auto; padding: 0 1.2rem; }
h1 { font-size: 1.5rem; margin-bottom: 0; }
h2 { font-size: 1.1rem; margin: 2rem 0 .3rem; }
p.about { color: #5b666b; margin-top: .2rem; }
ul { padding-left: 1.2rem; }
table { border-collapse: collapse; width: 100%; background: #fff; border: 1px solid #dcd9d0;
  font: 13px/1.5 ui-monospace, "DejaVu Sans Mono", monospace; margin-bottom: .8rem; }
td { padding: 0 .6rem; white-space: pre-wrap; overflow-wrap: anywhere; }
td.n { color: #8a9499; text-align: right; width: 3rem; user-select: none; }
tr.in td { background: #eeece5; color: #47525a; font-family: system-ui, sans-serif; }
tr.gone td { background: #f8e3d8; } tr.new td { background: #dcebe4; }
.late { color: #a33c12; }
)";

std::string hunks_table(const api::TextComparison& comparison) {
  std::string page = "<table>\n";
  for (const auto& hunk : comparison.hunks) {
    const auto sections = sections_text(hunk);
    page += fmt::format("<tr class=\"in\"><td colspan=\"4\">{}</td></tr>\n",
                        sections.empty() ? "&nbsp;" : "in " + html_escaped(sections));
    for (const auto& line : hunk.lines) {
      const auto* kind = line.sign == "-"   ? " class=\"gone\""
                         : line.sign == "+" ? " class=\"new\""
                                            : "";
      page += fmt::format(
          "<tr{}><td class=\"n\">{}</td><td "
          "class=\"n\">{}</td><td>{}</td><td>{}</td></tr>\n",
          kind, line.before == 0 ? "" : std::to_string(line.before),
          line.after == 0 ? "" : std::to_string(line.after), line.sign,
          html_escaped(line_text(line.text)));
    }
  }
  return page + "</table>\n";
}

std::string file_title(const api::FileReport& file) {
  return fmt::format("{} from {}", shown(file.name), shown(file.holder));
}

}  // namespace

std::string counts_text(const api::TextComparison& comparison) {
  std::string text;
  const auto add = [&](const std::string& part, const char* between) {
    text += (text.empty() ? "" : between) + part;
  };
  if (comparison.added > 0) {
    add(counted(comparison.added, "line added", "lines added"), ", ");
  }
  if (comparison.removed > 0) {
    add(counted(comparison.removed, "line removed", "lines removed"), ", ");
  }
  if (text.empty()) {
    text = comparison.same_bytes ? "the same bytes" : "the same in substance";
  }
  if (comparison.left_out > 0) {
    add(counted(comparison.left_out, "line does not count", "lines do not count"), "; ");
  }
  if (comparison.masked > 0) {
    add(counted(comparison.masked, "secret is masked", "secrets are masked"), "; ");
  }
  if (comparison.doubtful > 0) {
    add(counted(comparison.doubtful,
                "line looks as if it held a secret and is not masked",
                "lines look as if they held secrets and are not masked"),
        "; ");
  }
  if (comparison.without_secrets) {
    add("secrets were not compared (--with-secrets compares them)", "; ");
  }
  return text;
}

void write_hunks(const Terminal& terminal, const api::TextComparison& comparison) {
  std::size_t largest = 0;
  for (const auto& hunk : comparison.hunks) {
    for (const auto& line : hunk.lines) {
      largest = std::max({largest, line.before, line.after});
    }
  }
  const auto width = std::to_string(largest).size();
  for (const auto& hunk : comparison.hunks) {
    const auto sections = sections_text(hunk);
    terminal.write(
        "\n" +
        terminal.toned(sections.empty() ? "at the top" : "in " + sections, Tone::kHead) +
        "\n");
    for (const auto& line : hunk.lines) {
      const auto numbers =
          number_or_blank(line.before, width) + " " + number_or_blank(line.after, width);
      const auto text = fmt::format("{} {}", line.sign, line_text(line.text));
      const auto tone = line.sign == "-"   ? Tone::kBad
                        : line.sign == "+" ? Tone::kGood
                                           : Tone::kPlain;
      terminal.write(terminal.toned(numbers, Tone::kFaint) + "  " +
                     terminal.toned(text, tone) + "\n");
    }
  }
}

std::string expected_text(const api::Expected& expected) {
  if (!expected.seen_at) {
    return fmt::format("expected {} since {}; none received", expected.every,
                       shown_time(expected.since));
  }
  const auto now = base::SystemClock{}.wall();
  const auto at = base::parse_iso_time(*expected.seen_at).value_or(now);
  return fmt::format(
      "expected {}; the last {} ago", expected.every,
      base::duration_text(static_cast<double>(std::max<std::int64_t>(0, now - at)) /
                          1000));
}

std::string report_page(const api::ChangeReport& report) {
  std::string page = fmt::format(
      "<!doctype html>\n<html lang=\"en\">\n<meta charset=\"utf-8\">\n<meta "
      "name=\"viewport\" content=\"width=device-width\">\n<title>Configuration changes "
      "{1} to {2}</title>\n<style>{0}</style>\n<h1>Configuration changes</h1>\n<p "
      "class=\"about\">From {1} to {2}</p>\n",
      kStyle, html_escaped(shown_time(report.from)), html_escaped(shown_time(report.to)));
  const auto list = [&](const char* what, const char* title, auto line) {
    std::string items;
    for (const auto& file : report.files) {
      if (file.what == what) items += "<li>" + html_escaped(line(file)) + "</li>\n";
    }
    if (items.empty()) return;
    page += fmt::format("<h2>{}</h2>\n<ul>\n{}</ul>\n", title, items);
  };
  if (!report.overdue.empty()) {
    page += "<h2>Overdue</h2>\n<ul>\n";
    for (const auto& one : report.overdue) {
      page +=
          fmt::format("<li class=\"late\">{}: {}</li>\n", html_escaped(shown(one.device)),
                      html_escaped(expected_text(one)));
    }
    page += "</ul>\n";
  }
  list("broke-off", "Broke off",
       [](const auto& file) { return file_title(file) + ": " + shown(file.why, 400); });
  bool any = false;
  for (const auto& file : report.files) {
    if (file.what != "changed") continue;
    any = true;
    page += fmt::format("<h2>{}</h2>\n<p class=\"about\">Revision {} to {}, {}: {}</p>\n",
                        html_escaped(file_title(file)), file.before.value_or(0),
                        file.after.value_or(0),
                        html_escaped(shown_time(file.arrived_at.value_or(""))),
                        html_escaped(file.comparison ? counts_text(*file.comparison)
                                                     : shown(file.why, 400)));
    if (file.comparison) page += hunks_table(*file.comparison);
  }
  if (!any) page += "<p>Nothing changed.</p>\n";
  list("first", "Seen for the first time", [](const auto& file) {
    return fmt::format("{}, {}", file_title(file), base::size_text(file.size));
  });
  list("unchanged", "Unchanged", [](const auto& file) { return file_title(file); });
  return page + "</html>\n";
}

}  // namespace vantro::client
