#include "serve/http/listing.h"

#include <algorithm>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "base/clock.h"
#include "base/html.h"
#include "base/sizes.h"
#include "base/visible_name.h"
#include "wire/http/target.h"

namespace vantro::serve::http {
namespace {

using base::html_escaped;
using nlohmann::json;
using wire::http::Form;

std::string path_in(const gate::Listing& listing, const gate::Listed& entry) {
  return wire::http::path_of((listing.folder.empty() ? "" : listing.folder + "/") +
                             entry.name);
}

bool is_folder(const gate::Listed& entry) { return entry.name.ends_with('/'); }

std::string as_text(const gate::Listing& listing) {
  if (listing.entries.empty()) return "Nothing is on offer.\n";
  std::size_t widest = 4;
  for (const auto& entry : listing.entries) widest = std::max(widest, entry.name.size());
  std::string text;
  for (const auto& entry : listing.entries) {
    text += is_folder(entry)
                ? entry.name + "\n"
                : fmt::format("{:<{}}  {:>13}  {}\n", base::printable(entry.name, 255),
                              widest, entry.size, entry.sha256);
  }
  return text;
}

std::string as_json(const gate::Listing& listing) {
  auto entries = json::array();
  for (const auto& entry : listing.entries) {
    json one{{"name", entry.name},
             {"kind", is_folder(entry) ? "folder" : "file"},
             {"path", path_in(listing, entry)},
             {"since", base::iso_time(entry.since)}};
    if (!is_folder(entry)) {
      one["size"] = entry.size;
      one["sha256"] = entry.sha256;
    }
    entries.push_back(std::move(one));
  }
  return json{{"folder", listing.folder}, {"entries", std::move(entries)}}.dump(
             2, ' ', false, json::error_handler_t::replace) +
         "\n";
}

constexpr const char* kPage = R"(<!DOCTYPE html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>{title}</title>
<style>
body {{ font: 15px/1.5 system-ui, sans-serif; margin: 2rem auto; max-width: 76rem;
  padding: 0 1rem; color: #1c2021; background: #fbfaf6; }}
h1 {{ font-size: 1.3rem; margin: 0 0 .2rem; }}
p {{ margin: 0 0 1.2rem; color: #59605c; }}
table {{ border-collapse: collapse; width: 100%; }}
th {{ text-align: left; font-weight: 600; color: #59605c; }}
th, td {{ padding: .35rem 1.2rem .35rem 0; border-bottom: 1px solid #dedbd0;
  vertical-align: top; }}
.size {{ text-align: right; white-space: nowrap; }}
.sum {{ font: 12px/1.9 ui-monospace, monospace; color: #59605c; overflow-wrap: anywhere; }}
.since {{ white-space: nowrap; }}
a {{ color: #0b5c62; }}
a:focus-visible {{ outline: 2px solid #0b5c62; outline-offset: 2px; }}
</style>
</head>
<body>
<h1>{title}</h1>
<p>{about}</p>
{table}
</body>
</html>
)";

std::string as_html(const gate::Listing& listing) {
  std::string rows;
  std::uint64_t bytes = 0;
  std::size_t files = 0;
  if (!listing.folder.empty()) {
    rows +=
        "<tr><td><a href=\"../\">One folder up</a></td><td></td><td></td><td></td>"
        "</tr>\n";
  }
  for (const auto& entry : listing.entries) {
    const auto link =
        fmt::format("<a href=\"{}\">{}</a>", html_escaped(path_in(listing, entry)),
                    html_escaped(base::printable(entry.name, 255)));
    if (is_folder(entry)) {
      rows += fmt::format("<tr><td>{}</td><td></td><td></td><td></td></tr>\n", link);
      continue;
    }
    ++files;
    bytes += entry.size;
    rows += fmt::format(
        "<tr><td>{}</td><td class=\"size\">{}</td><td class=\"since\">{}</td>"
        "<td class=\"sum\">{}</td></tr>\n",
        link, base::size_text(entry.size), base::local_time(entry.since), entry.sha256);
  }
  const auto title =
      "Images on offer" + (listing.folder.empty() ? "" : " in " + listing.folder + "/");
  const auto about =
      listing.entries.empty()
          ? std::string("Nothing is on offer to you.")
          : fmt::format(
                "{} file{}, {}. Behind each name, .sha256, .sha512 or .md5 gives "
                "its checksum as a list.",
                files, files == 1 ? "" : "s", base::size_text(bytes));
  const auto table = rows.empty()
                         ? std::string()
                         : "<table>\n<tr><th>Name</th><th class=\"size\">Size</th>"
                           "<th>On offer since</th><th>SHA-256</th></tr>\n" +
                               rows + "</table>";
  return fmt::format(fmt::runtime(kPage), fmt::arg("title", html_escaped(title)),
                     fmt::arg("about", html_escaped(about)), fmt::arg("table", table));
}

}  // namespace

const char* listing_type(Form form) {
  switch (form) {
    case Form::kText:
      return "text/plain; charset=utf-8";
    case Form::kJson:
      return "application/json";
    case Form::kHtml:
      return "text/html; charset=utf-8";
  }
  return "text/plain; charset=utf-8";
}

std::string listing_text(const gate::Listing& listing, Form form) {
  switch (form) {
    case Form::kText:
      return as_text(listing);
    case Form::kJson:
      return as_json(listing);
    case Form::kHtml:
      return as_html(listing);
  }
  return as_text(listing);
}

}  // namespace vantro::serve::http
