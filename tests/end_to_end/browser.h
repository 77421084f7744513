// A headless Chromium, driven over WebDriver (W3C Recommendation) as a person uses it:
// elements are found by role and name, as a screen reader tells them, never by class or
// id.
#pragma once

#include <curl/curl.h>
#include <functional>
#include <memory>
#include <nlohmann/json.hpp>
#include <string>
#include <vector>

#include "tests/end_to_end/process.h"

namespace vantro::end_to_end {

// Keys of the WebDriver standard (17.4.2).
inline constexpr const char* kEnter = "\uE007";
inline constexpr const char* kEscape = "\uE00C";
inline constexpr const char* kTab = "\uE004";
inline constexpr const char* kDown = "\uE015";

class Browser {
 public:
  struct Element {
    std::string id;  // empty: it was not found, which has failed the test
  };

  // Its files go to this folder.
  explicit Browser(const std::string& folder);
  ~Browser();
  Browser(const Browser&) = delete;
  Browser& operator=(const Browser&) = delete;

  void open(const std::string& url);
  std::string url();
  // Width and height of the page in CSS pixels.
  void resize(int width, int height);
  void use_dark(bool dark);
  // Cuts or mends the page's network.
  void go_offline(bool offline);
  // In bytes per second; -1: as fast as it goes.
  void limit_uploads(int rate);

  // The element with this role and name, once it is there and can be seen.
  Element find(const std::string& role, const std::string& name);
  // Whether it is there now.
  bool has(const std::string& role, const std::string& name);
  // The page may be drawn again between finding an element and using it: then it is found
  // again, here and below.
  void click(const std::string& role, const std::string& name);
  // Takes the place of what is there. Tried until the field has it.
  void type(const std::string& field, const std::string& text,
            const std::string& role = "textbox");
  void choose(const std::string& field, const std::string& option);
  // Into a field for files.
  void give_file(const std::string& field, const std::string& path);
  // To whatever has the focus.
  void press(const std::string& keys);
  std::string focused();  // role and name of what has the focus

  // Whether the page says it, once it does.
  bool says(const std::string& text);
  // Whether it stops saying it.
  bool stops_saying(const std::string& text);
  std::string text();  // of the page, as it is seen

  nlohmann::json run(const std::string& script,
                     const nlohmann::json& arguments = nlohmann::json::array());
  // What axe-core finds against it, a line for each place; empty: nothing.
  std::vector<std::string> accessibility();
  // Errors of the browser's log since the last call.
  std::vector<std::string> errors();

 private:
  nlohmann::json call(const std::string& method, const std::string& path,
                      const nlohmann::json& body = nullptr);
  nlohmann::json devtools(const std::string& command, const nlohmann::json& parameters);
  void set_network(bool offline, int upload_rate);
  std::vector<Element> candidates(const std::string& role, const std::string& name);
  // Does this with the element of that role and name until it is done; else the test has
  // failed. `use` gives what is wrong, or nothing.
  void use(const std::string& role, const std::string& name,
           const std::function<std::string(const std::string& id)>& use);

  std::unique_ptr<Process> driver_;
  std::unique_ptr<CURL, decltype(&curl_easy_cleanup)> curl_;
  std::string base_;  // address of the session
};

}  // namespace vantro::end_to_end
