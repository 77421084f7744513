#include "client/image_changes.h"

#include <cerrno>
#include <fmt/format.h>
#include <unistd.h>

#include "api/catalogue.h"
#include "base/visible_name.h"
#include "client/render.h"

namespace vantro::client {
namespace {

using nlohmann::json;

}  // namespace

std::string image_path(const std::string& name, const char* rest) {
  return "/v1/images/" + url_escape(name) + rest;
}

Result<json> send_vouches(const ApiClient& api, const std::string& name,
                          const ChecksumOptions& options) {
  if (options.list.empty() && options.expect.empty()) {
    return wrong_use(
        "give the maker's checksum with --expect, or a list with --list FILE "
        "(- to paste it)");
  }
  json body = json::object();
  if (!options.expect.empty()) body["expect"] = options.expect;
  if (!options.source.empty()) body["source"] = options.source;
  const std::pair<const char*, const std::string&> files[] = {
      {"list", options.list}, {"signature", options.signature}, {"key", options.key}};
  for (const auto& [field, file] : files) {
    if (file.empty()) continue;
    auto text = read_text(file);
    if (!text) return tl::unexpected(text.error());
    body[field] = std::move(*text);
  }
  return api.send("POST", image_path(name, "/vouches"), body);
}

Done edit_image(const Context& context, const std::string& name,
                const std::map<std::string, std::string>& facts) {
  if (facts.empty()) {
    return wrong_use("nothing to change: give a fact, such as --version 7.6.0");
  }
  return show_answer(
      context, context.api.send("PATCH", image_path(name), json(facts)),
      [&](const Terminal& terminal, const json& answer) {
        const auto changes = list_of<api::FactChange>(answer, "changes");
        if (changes.empty()) {
          terminal.write(fmt::format("{}: nothing has changed\n", shown(name)));
        }
        for (const auto& one : changes) {
          terminal.write(fmt::format("{}: {}: {} -> {}\n", shown(name), one.fact,
                                     shown(fact_text(one.fact, one.before), 400),
                                     shown(fact_text(one.fact, one.after), 400)));
        }
      });
}

Done withdraw_image(const Context& context, const std::string& name,
                    const std::string& why) {
  return show_answer(
      context, context.api.send("POST", image_path(name, "/withdrawal"), {{"why", why}}),
      [&](const Terminal& terminal, const json& answer) {
        terminal.write(
            fmt::format("{}: withdrawn. Devices that ask for it are "
                        "told: {}\n",
                        shown(name), shown(why, 400)));
        for (const auto& offer : list_of<api::Offer>(answer, "ended")) {
          terminal.write(fmt::format("  no longer on offer: {}\n", shown(offer.name)));
        }
      });
}

Done return_image(const Context& context, const std::string& name) {
  return show_answer(context, context.api.send("DELETE", image_path(name, "/withdrawal")),
                     [&](const Terminal& terminal, const json&) {
                       terminal.write(
                           fmt::format("{}: no longer withdrawn. Offer it with: "
                                       "vantro offer add {}\n",
                                       shown(name), shown(name)));
                     });
}

Done vouch_image(const Context& context, const std::string& name,
                 const ChecksumOptions& options, bool retract) {
  const auto answer = retract ? context.api.send("DELETE", image_path(name, "/vouches"))
                              : send_vouches(context.api, name, options);
  bool contradicted = false;
  const auto done =
      show_answer(context, answer, [&](const Terminal& terminal, const json& told) {
        const auto image = told.at("image").get<api::Image>();
        for (const auto& vouch : list_of<api::Vouch>(told, "vouches")) {
          terminal.write(fmt::format(
              "{}: {} {}{}\n", shown(name), vouch.algorithm,
              vouch.agrees ? "agrees" : "DIFFERS",
              vouch.signer.empty() ? "" : ", signed by " + shown(vouch.signer)));
          if (!vouch.agrees) {
            terminal.write(fmt::format("  maker  {}\n", vouch.hex));
          }
        }
        terminal.write(terminal.toned(
            fmt::format("{}: {}\n", shown(name), vouching_text(image.vouching)),
            tone_of_vouching(image.vouching)));
        if (image.vouching == "vouched-weakly") {
          terminal.write(
              "  MD5 and SHA-1 can be forged; ask the maker for SHA-256 or SHA-512.\n");
        }
        if (image.vouching != "contradicted") return;
        contradicted = true;
        terminal.write(
            "  It is off offer from now on. If that was another file's checksum, take it "
            "back with --retract.\n");
      });
  if (!done) return done;
  if (contradicted) return tl::unexpected(Failure{ExitCode::kChecksum, ""});
  return {};
}

Done save_image(const Context& context, const std::string& name, const std::string& to,
                bool force) {
  const auto answer = context.api.get(image_path(name));
  if (!answer) return tl::unexpected(answer.error());
  const auto image = answer->get<api::ImageDetail>().image;
  const auto file = to.empty() ? std::string(base::last_part(name)) : to;
  const auto saved = save(context.api, image_path(name, "/content"), file, force,
                          {image.size, image.digests.sha256});
  if (!saved || file == "-") return saved;
  return show_answer(context, answer, [&](const Terminal& terminal, const json&) {
    terminal.write(fmt::format("{}: {}, {}\n  SHA-256 {} as recorded\n", file,
                               shown(image.name), exact_size(image.size),
                               image.digests.sha256));
  });
}

Done recognise(const Context& context, const std::string& name) {
  return show(context, "/v1/suggestions?name=" + url_escape(name),
              [&](const Terminal& terminal, const json& answer) {
                Table table({{"FACT"}, {"WOULD BE"}, {"ORIGIN"}});
                for (const auto& one : list_of<api::Suggestion>(answer, "suggestions")) {
                  table.add({{one.fact}, {one.text}, {one.origin, Tone::kFaint}});
                }
                write_or(table, terminal,
                         fmt::format("No recogniser fits '{}'. They are written in the "
                                     "settings, under [[recogniser]].",
                                     shown(name)));
              });
}

Done attach_document(const Context& context, const std::string& image,
                     const std::string& file) {
  const auto opened = open_file(file);
  if (!opened) return tl::unexpected(opened.error());
  const auto path =
      image_path(image, "/documents/") + url_escape(std::string(base::last_part(file)));
  const auto answer = context.api.put(
      path, opened->size,
      [&](char* to, std::size_t count) -> tl::expected<std::size_t, Failure> {
        const auto got = ::read(opened->fd.get(), to, count);
        if (got < 0) return file_failure(file, errno);
        return static_cast<std::size_t>(got);
      });
  return show_answer(context, answer, [&](const Terminal& terminal, const json& told) {
    const auto document = told.get<api::Document>();
    terminal.write(fmt::format("{}: attached {}, {}\n", shown(image),
                               shown(document.name), exact_size(document.size)));
  });
}

Done save_document(const Context& context, const std::string& image,
                   const std::string& document, const std::string& to, bool force) {
  const auto answer = context.api.get(image_path(image));
  if (!answer) return tl::unexpected(answer.error());
  for (const auto& one : answer->get<api::ImageDetail>().documents) {
    if (one.name != document) continue;
    const auto file = to.empty() ? std::string(base::last_part(document)) : to;
    const auto saved =
        save(context.api, image_path(image, "/documents/") + url_escape(document), file,
             force, {one.size, one.sha256});
    if (!saved || file == "-") return saved;
    Terminal(stdout).write(fmt::format("{}: {}\n", file, exact_size(one.size)));
    return {};
  }
  return tl::unexpected(Failure{
      ExitCode::kNotFound, fmt::format("{} has no document '{}'; 'vantro image info' "
                                       "lists them",
                                       shown(image), shown(document))});
}

Done detach_document(const Context& context, const std::string& image,
                     const std::string& document) {
  return show_answer(
      context,
      context.api.send("DELETE", image_path(image, "/documents/") + url_escape(document)),
      [&](const Terminal& terminal, const json&) {
        terminal.write(fmt::format("{}: {} taken away\n", shown(image), shown(document)));
      });
}

}  // namespace vantro::client
