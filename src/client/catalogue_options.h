// The options of the commands about the catalogue.
#pragma once

#include <CLI/CLI.hpp>
#include <functional>
#include <map>
#include <memory>
#include <string>

#include "client/answers.h"

namespace vantro::client {

// The command that was given, and a short way to say what there is.
class Commands {
 public:
  using Run = std::function<Done(const Context&)>;

  explicit Commands(CLI::App& app) : app_(app) {}

  CLI::App& app() { return app_; }
  CLI::App* group(CLI::App& parent, const std::string& name, const std::string& about);
  CLI::App* add(CLI::App& parent, const std::string& name, const std::string& about,
                Run run);
  const Run& chosen() const { return *chosen_; }

  // Options of a command, which live as long as the commands.
  template <class Options>
  std::shared_ptr<Options> options() {
    auto made = std::make_shared<Options>();
    kept_.push_back(made);
    return made;
  }

 private:
  CLI::App& app_;
  std::shared_ptr<Run> chosen_ = std::make_shared<Run>();
  std::vector<std::shared_ptr<void>> kept_;
};

// --maker and so on; what was given is in the map. `filter`: for looking, not for
// setting.
void fact_options(CLI::App* command, std::map<std::string, std::string>& facts,
                  bool filter);

// image, offer, kit, verify, export, import
void add_catalogue_commands(Commands& commands);

}  // namespace vantro::client
