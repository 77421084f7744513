#include "tests/end_to_end/browser.h"

#include <algorithm>
#include <csignal>
#include <fmt/format.h>
#include <gtest/gtest.h>
#include <map>

#include "tests/fakes/eventually.h"
#include "tests/fakes/scratch_folder.h"

namespace vantro::end_to_end {
namespace {

using nlohmann::json;

// The standard's name of a reference to an element.
constexpr const char* kElement = "element-6066-11e4-a52e-4f735466cecf";

// Tags that may have a role: asking for the computed one costs a call for each.
const std::map<std::string, std::string> kTagsOfRole{
    {"button", "button, summary, input[type=file]"},
    {"link", "a[href]"},
    {"textbox", "input, textarea"},
    {"searchbox", "input[type=search]"},
    {"spinbutton", "input[type=number]"},
    {"combobox", "select, input"},
    {"checkbox", "input[type=checkbox]"},
    {"heading", "h1, h2, h3"},
    {"dialog", "dialog[open]"},
    {"option", "[role=option]"},
    {"table", "table"},
    {"alert", "[role=alert]"},
};

// Those that can be seen, are not behind an open dialog, and whose name may be this.
constexpr const char* kCandidates = R"js(
  const [tags, name] = arguments;
  const dialogs = document.querySelectorAll('dialog[open]');
  const root = dialogs.length > 0 && !tags.startsWith('dialog')
      ? dialogs[dialogs.length - 1] : document;
  return [...root.querySelectorAll(tags)].filter((one) => {
    if (!one.checkVisibility()) return false;
    const words = [one.textContent, one.getAttribute('aria-label'), one.title,
                   ...[...(one.labels ?? [])].map((label) => label.textContent)];
    const caption = one.querySelector?.('caption')?.textContent;
    return one.tagName === 'DIALOG' || [...words, caption].some((text) => text && text.includes(name));
  });
)js";

std::size_t append(char* bytes, std::size_t size, std::size_t count, void* to) {
  static_cast<std::string*>(to)->append(bytes, size * count);
  return size * count;
}

// What the driver says is wrong; empty: it did it.
std::string wrong_in(const json& answer) { return answer.is_null() ? "" : answer.dump(); }

}  // namespace

Browser::Browser(const std::string& folder) : curl_(curl_easy_init(), curl_easy_cleanup) {
  const auto said = folder + "/driver.out";
  driver_ =
      std::make_unique<Process>(Arguments{"/usr/bin/chromedriver", "--port=0"},
                                Environment{{"HOME", folder}, {"PATH", "/usr/bin:/bin"}},
                                said, folder + "/driver.err");
  const std::string words = "started successfully on port ";
  std::string port;
  EXPECT_TRUE(fakes::eventually([&] {
    const auto out = fakes::read_file(said);
    const auto at = out.find(words);
    if (at == std::string::npos) return false;
    port = std::to_string(std::atoi(out.c_str() + at + words.size()));
    return true;
  })) << fakes::read_file(said);
  base_ = "http://127.0.0.1:" + port;
  // No sandbox of its own, as root can't have one in a container; and nothing that calls
  // other hosts.
  const auto arguments = json::array(
      {"--headless=new", "--no-sandbox", "--disable-gpu", "--disable-quic",
       "--no-first-run", "--disable-background-networking", "--disable-component-update",
       "--disable-sync", "--disable-dev-shm-usage", "--lang=en-GB",
       "--window-size=1280,800", "--user-data-dir=" + folder + "/browser"});
  const json wanted{{"capabilities",
                     {{"alwaysMatch",
                       {{"goog:chromeOptions", {{"args", arguments}}},
                        {"goog:loggingPrefs", {{"browser", "ALL"}}},
                        {"acceptInsecureCerts", true},
                        {"timeouts", {{"script", 60'000}}}}}}}};
  // A browser that does not come up beside everything else is started again.
  json made = json::object();
  for (int i = 0; i < 3 && made.value("sessionId", "").empty(); ++i) {
    made = call("POST", "/session", wanted);
    if (!made.is_object()) made = json::object();
  }
  EXPECT_NE(made.value("sessionId", ""), "") << made.dump();
  base_ += "/session/" + made.value("sessionId", "");
}

Browser::~Browser() {
  call("DELETE", "");
  driver_->signal(SIGTERM);
  driver_->wait();
}

json Browser::call(const std::string& method, const std::string& path, const json& body) {
  std::string answer;
  const auto text = body.is_null() ? "{}" : body.dump();
  auto* curl = curl_.get();
  curl_easy_reset(curl);
  curl_easy_setopt(curl, CURLOPT_URL, (base_ + path).c_str());
  curl_easy_setopt(curl, CURLOPT_CUSTOMREQUEST, method.c_str());
  curl_easy_setopt(curl, CURLOPT_NOPROXY, "*");
  curl_easy_setopt(curl, CURLOPT_TIMEOUT, 120L);
  curl_easy_setopt(curl, CURLOPT_WRITEFUNCTION, append);
  curl_easy_setopt(curl, CURLOPT_WRITEDATA, &answer);
  std::unique_ptr<curl_slist, decltype(&curl_slist_free_all)> fields(
      curl_slist_append(nullptr, "Content-Type: application/json"), curl_slist_free_all);
  if (method == "POST") {
    curl_easy_setopt(curl, CURLOPT_HTTPHEADER, fields.get());
    curl_easy_setopt(curl, CURLOPT_POSTFIELDS, text.c_str());
  }
  const auto done = curl_easy_perform(curl);
  EXPECT_EQ(done, CURLE_OK) << method << " " << path << ": " << curl_easy_strerror(done);
  const auto found = json::parse(answer, nullptr, false);
  if (!found.is_object() || !found.contains("value")) return nullptr;
  return found["value"];
}

json Browser::devtools(const std::string& command, const json& parameters) {
  return call("POST", "/goog/cdp/execute", {{"cmd", command}, {"params", parameters}});
}

void Browser::open(const std::string& url) { call("POST", "/url", {{"url", url}}); }

std::string Browser::url() {
  const auto found = call("GET", "/url");
  return found.is_string() ? found.get<std::string>() : "";
}

void Browser::resize(int width, int height) {
  devtools("Emulation.setDeviceMetricsOverride", {{"width", width},
                                                  {"height", height},
                                                  {"deviceScaleFactor", 1},
                                                  {"mobile", false}});
}

void Browser::use_dark(bool dark) {
  devtools("Emulation.setEmulatedMedia",
           {{"features", json::array({{{"name", "prefers-color-scheme"},
                                       {"value", dark ? "dark" : "light"}}})}});
}

void Browser::go_offline(bool offline) { set_network(offline, -1); }
void Browser::limit_uploads(int rate) { set_network(false, rate); }

void Browser::set_network(bool offline, int upload_rate) {
  devtools("Network.enable", json::object());
  devtools("Network.emulateNetworkConditions", {{"offline", offline},
                                                {"latency", 0},
                                                {"downloadThroughput", -1},
                                                {"uploadThroughput", upload_rate}});
}

json Browser::run(const std::string& script, const json& arguments) {
  return call("POST", "/execute/sync", {{"script", script}, {"args", arguments}});
}

std::vector<Browser::Element> Browser::candidates(const std::string& role,
                                                  const std::string& name) {
  const auto tags = kTagsOfRole.find(role);
  EXPECT_NE(tags, kTagsOfRole.end()) << "no tags are known for the role " << role;
  if (tags == kTagsOfRole.end()) return {};
  std::vector<Element> found;
  for (const auto& one : run(kCandidates, json::array({tags->second, name}))) {
    const Element element{one.value(kElement, "")};
    const auto base = "/element/" + element.id;
    // Chromium has a word of its own for the button of a <details>.
    auto computed = call("GET", base + "/computedrole");
    if (computed == "DisclosureTriangle") computed = "button";
    if (computed != role) continue;
    auto label = call("GET", base + "/computedlabel");
    // Buttons that ask first say so.
    auto text = label.is_string() ? label.get<std::string>() : "";
    if (text.ends_with(" …")) text.resize(text.size() - std::string(" …").size());
    if (text == name) found.push_back(element);
  }
  return found;
}

Browser::Element Browser::find(const std::string& role, const std::string& name) {
  std::vector<Element> found;
  fakes::eventually(
      [&] {
        found = candidates(role, name);
        return !found.empty();
      },
      std::chrono::milliseconds(50));
  EXPECT_FALSE(found.empty()) << "there is no " << role << " '" << name << "' on "
                              << url() << ":\n"
                              << text();
  return found.empty() ? Element{} : found.front();
}

bool Browser::has(const std::string& role, const std::string& name) {
  return !candidates(role, name).empty();
}

void Browser::use(const std::string& role, const std::string& name,
                  const std::function<std::string(const std::string& id)>& use) {
  std::string wrong = "it is not there";
  const bool done = fakes::eventually(
      [&] {
        const auto found = candidates(role, name);
        if (found.empty()) return false;
        wrong = use(found.front().id);
        return wrong.empty();
      },
      std::chrono::milliseconds(50));
  EXPECT_TRUE(done) << role << " '" << name << "' on " << url() << ": " << wrong << "\n"
                    << text();
}

void Browser::click(const std::string& role, const std::string& name) {
  use(role, name, [&](const std::string& id) {
    // From under the header, as a person would scroll; it may move while the page is
    // drawn again.
    run("arguments[0].scrollIntoView({block: 'center'})",
        json::array({{{kElement, id}}}));
    return wrong_in(call("POST", "/element/" + id + "/click"));
  });
}

void Browser::type(const std::string& field, const std::string& text,
                   const std::string& role) {
  use(role, field, [&](const std::string& id) {
    call("POST", "/element/" + id + "/clear");
    auto wrong = wrong_in(call("POST", "/element/" + id + "/value", {{"text", text}}));
    if (!wrong.empty()) return wrong;
    const auto has = call("GET", "/element/" + id + "/property/value");
    return has == text ? "" : "it has " + has.dump();
  });
}

void Browser::choose(const std::string& field, const std::string& option) {
  use("combobox", field, [&](const std::string& id) {
    const auto chosen =
        run("const [select, text] = arguments;"
            "const one = [...select.options].find((each) => each.text.startsWith(text));"
            "if (!one) return false; select.value = one.value;"
            "select.dispatchEvent(new Event('change', {bubbles: true})); return true;",
            json::array({{{kElement, id}}, option}));
    return chosen == true ? "" : "it has no " + option;
  });
}

void Browser::give_file(const std::string& field, const std::string& path) {
  use("button", field, [&](const std::string& id) {
    return wrong_in(call("POST", "/element/" + id + "/value", {{"text", path}}));
  });
}

void Browser::press(const std::string& keys) {
  auto actions = json::array();
  // One code point each.
  for (std::size_t at = 0; at < keys.size();) {
    std::size_t next = at + 1;
    while (next < keys.size() &&
           (static_cast<unsigned char>(keys[next]) & 0xC0) == 0x80) {
      ++next;
    }
    const auto key = keys.substr(at, next - at);
    actions.push_back({{"type", "keyDown"}, {"value", key}});
    actions.push_back({{"type", "keyUp"}, {"value", key}});
    at = next;
  }
  call("POST", "/actions",
       {{"actions",
         json::array({{{"type", "key"}, {"id", "keyboard"}, {"actions", actions}}})}});
}

std::string Browser::focused() {
  const auto one = call("GET", "/element/active");
  const auto base = "/element/" + (one.is_object() ? one.value(kElement, "") : "");
  const auto role = call("GET", base + "/computedrole");
  const auto label = call("GET", base + "/computedlabel");
  return fmt::format("{} {}", role.is_string() ? role.get<std::string>() : "",
                     label.is_string() ? label.get<std::string>() : "");
}

std::string Browser::text() {
  const auto found =
      run("const open = document.querySelectorAll('dialog[open]');"
          "return (open.length > 0 ? open[open.length - 1] : document.body).innerText;");
  return found.is_string() ? found.get<std::string>() : "";
}

bool Browser::says(const std::string& words) {
  const bool said =
      fakes::eventually([&] { return text().find(words) != std::string::npos; },
                        std::chrono::milliseconds(50));
  EXPECT_TRUE(said) << "'" << words << "' is not on " << url() << ":\n" << text();
  return said;
}

bool Browser::stops_saying(const std::string& words) {
  const bool gone =
      fakes::eventually([&] { return text().find(words) == std::string::npos; },
                        std::chrono::milliseconds(50));
  EXPECT_TRUE(gone) << "'" << words << "' stays on " << url() << ":\n" << text();
  return gone;
}

std::vector<std::string> Browser::accessibility() {
  static const auto axe =
      fakes::read_file(VANTRO_SOURCE_DIR "/console/node_modules/axe-core/axe.min.js");
  if (run("return typeof window.axe") == "undefined") run(axe);
  const auto found =
      call("POST", "/execute/async",
           {{"script",
             "const done = arguments[arguments.length - 1];"
             "axe.run().then((all) => done(all.violations.flatMap((one) => one.nodes.map("
             "(node) => `${one.id}: ${one.help}: ${node.html.slice(0, 200)} "
             "${node.any.map((each) => each.message).join('; ')}`))),"
             "(failure) => done([String(failure)]));"},
            {"args", json::array()}});
  if (!found.is_array()) return {"axe-core gave " + found.dump()};
  return found.get<std::vector<std::string>>();
}

std::vector<std::string> Browser::errors() {
  std::vector<std::string> all;
  for (const auto& one : call("POST", "/se/log", {{"type", "browser"}})) {
    if (one.value("level", "") == "SEVERE" || one.value("level", "") == "WARNING") {
      all.push_back(one.value("message", ""));
    }
  }
  return all;
}

}  // namespace vantro::end_to_end
