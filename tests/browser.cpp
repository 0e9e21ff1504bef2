#include "browser.hpp"

#include "support.hpp"

#include <fmt/format.h>
#include <httplib.h>

#include <fcntl.h>
#include <poll.h>
#include <sys/wait.h>
#include <unistd.h>
#include <chrono>
#include <csignal>
#include <stdexcept>
#include <thread>

namespace test {
namespace {

using Clock = std::chrono::steady_clock;
constexpr std::chrono::seconds patience{60};

}  // namespace

Process::Process(const std::vector<std::string>& command) {
    int ends[2];
    if (::pipe2(ends, O_CLOEXEC) != 0) throw std::runtime_error("no pipe");
    pid_ = ::fork();
    if (pid_ == 0) {
        ::setpgid(0, 0);
        ::dup2(ends[1], STDOUT_FILENO);
        const int nowhere = ::open("/dev/null", O_WRONLY);
        ::dup2(nowhere, STDERR_FILENO);
        std::vector<char*> words;
        for (const std::string& w : command) words.push_back(const_cast<char*>(w.c_str()));
        words.push_back(nullptr);
        ::execvp(words[0], words.data());
        ::_exit(127);
    }
    ::setpgid(pid_, pid_);
    ::close(ends[1]);
    out_ = ends[0];
}

Process::~Process() {
    if (pid_ > 0) ::kill(-pid_, SIGKILL), ::waitpid(pid_, nullptr, 0);
    if (out_ >= 0) ::close(out_);
}

std::string Process::line_with(const std::string& text) {
    const auto end = Clock::now() + patience;
    while (true) {
        for (std::size_t at = 0, next = rest_.find('\n'); next != std::string::npos; at = next + 1, next = rest_.find('\n', at)) {
            const std::string line = rest_.substr(at, next - at);
            if (line.find(text) == std::string::npos) continue;
            rest_.erase(0, next + 1);
            return line;
        }
        pollfd p{out_, POLLIN, 0};
        char bytes[4096];
        if (Clock::now() > end || ::poll(&p, 1, 200) < 0) return "";
        if ((p.revents & (POLLIN | POLLHUP)) == 0) continue;
        const ssize_t n = ::read(out_, bytes, sizeof bytes);
        if (n <= 0) return "";
        rest_.append(bytes, static_cast<std::size_t>(n));
    }
}

void Process::signal(int number) const {
    ::kill(pid_, number);
}

int Process::wait() {
    const auto end = Clock::now() + patience;
    int status = 0;
    while (Clock::now() < end) {
        if (::waitpid(pid_, &status, WNOHANG) == pid_) {
            pid_ = -1;
            return WIFEXITED(status) ? WEXITSTATUS(status) : -1;
        }
        std::this_thread::sleep_for(std::chrono::milliseconds(20));
    }
    return -1;
}

struct Browser::Client {
    explicit Client(int port) : http("127.0.0.1", port) {
        http.set_read_timeout(120, 0);
        http.set_keep_alive(true);
    }
    httplib::Client http;
};

Browser::Browser() : driver_({"chromedriver", "--port=0"}) {
    const std::string line = driver_.line_with("started successfully on port");
    const std::size_t at = line.rfind("port ");
    if (at == std::string::npos) throw std::runtime_error("chromedriver does not start; ./run test installs it");
    client_ = std::make_unique<Client>(std::atoi(line.c_str() + at + 5));
    const Json options{{"args",
                        {"--headless=new", "--no-sandbox", "--use-angle=swiftshader", "--enable-unsafe-swiftshader", "--window-size=1280,887",
                         "--hide-scrollbars", "--force-prefers-reduced-motion", "--disable-dev-shm-usage"}}};
    const Json answer =
        ask("POST", "/session", {{"capabilities", {{"alwaysMatch", {{"goog:chromeOptions", options}, {"goog:loggingPrefs", {{"browser", "ALL"}}}}}}}});
    session_ = "/session/" + answer.at("sessionId").get<std::string>();
    ask("POST", session_ + "/timeouts", {{"script", 60000}});
}

Browser::~Browser() {
    if (!session_.empty()) client_->http.Delete(session_);
}

Json Browser::ask(const char* method, const std::string& path, const Json& body) {
    const auto r = std::string(method) == "GET" ? client_->http.Get(path) : client_->http.Post(path, body.dump(), "application/json");
    if (!r) throw std::runtime_error("the browser's driver does not answer " + path);
    const Json answer = Json::parse(r->body);
    if (r->status != 200) throw std::runtime_error(path + ": " + answer.at("value").value("message", r->body));
    return answer.at("value");
}

void Browser::open(const std::string& address) {
    ask("POST", session_ + "/url", {{"url", "about:blank"}});
    ask("POST", session_ + "/url", {{"url", address}});
    if (!until("return document.documentElement.dataset.ready === '1' || !document.getElementById('failure').hidden"))
        throw std::runtime_error("the page is not ready");
}

Json Browser::run(const std::string& body) {
    return ask(
        "POST", session_ + "/execute/async",
        {{"script", "const done = arguments[0]; (async () => {" + body + "})().then(done, (e) => done('FAILED: ' + e.message))"}, {"args", Json::array()}});
}

bool Browser::until(const std::string& body) {
    for (const auto end = Clock::now() + patience; Clock::now() < end; std::this_thread::sleep_for(std::chrono::milliseconds(50)))
        if (const Json v = run(body); v.is_boolean() ? v.get<bool>() : !v.is_null()) return true;
    return false;
}

void Browser::act(const Json& actions) {
    ask("POST", session_ + "/actions", {{"actions", Json::array({actions})}});
}

void Browser::click(int x, int y) {
    drag(x, y, x, y);
}

void Browser::drag(int x, int y, int to_x, int to_y) {
    const auto move = [](int px, int py) { return Json{{"type", "pointerMove"}, {"duration", 20}, {"x", px}, {"y", py}}; };
    Json steps = Json::array({move(x, y), {{"type", "pointerDown"}, {"button", 0}}});
    if (x != to_x || y != to_y) steps.push_back(move((x + to_x) / 2, (y + to_y) / 2)), steps.push_back(move(to_x, to_y));
    steps.push_back({{"type", "pointerUp"}, {"button", 0}});
    act({{"type", "pointer"}, {"id", "mouse"}, {"parameters", {{"pointerType", "mouse"}}}, {"actions", steps}});
}

void Browser::key(const std::string& key) {
    act({{"type", "key"}, {"id", "keys"}, {"actions", {{{"type", "keyDown"}, {"value", key}}, {{"type", "keyUp"}, {"value", key}}}}});
}

std::vector<std::string> Browser::console() {
    std::vector<std::string> out;
    for (const Json& e : ask("POST", session_ + "/se/log", {{"type", "browser"}}))
        if (e.value("level", "") == "SEVERE" || e.value("level", "") == "WARNING") out.push_back(e.value("message", ""));
    return out;
}

void Browser::picture(const std::string& file) {
    const std::string text = ask("GET", session_ + "/screenshot").get<std::string>();
    spit(file + ".base64", text);
    if (std::system(fmt::format("base64 -d '{0}.base64' > '{0}' && rm '{0}.base64'", file).c_str()) != 0) throw std::runtime_error("no picture");
}

Answer get(const std::string& base, const std::string& path, const std::string& token, const std::string& host) {
    httplib::Client c(base);
    httplib::Headers h;
    if (!token.empty()) h.emplace("X-Halvo-Token", token);
    if (!host.empty()) h.emplace("Host", host);
    const auto r = c.Get(path, h);
    return r ? Answer{r->status, r->body} : Answer{};
}

Answer post(const std::string& base, const std::string& path, const std::string& body, const std::string& token) {
    httplib::Client c(base);
    httplib::Headers h;
    if (!token.empty()) h.emplace("X-Halvo-Token", token);
    const auto r = c.Post(path, h, body, "application/json");
    return r ? Answer{r->status, r->body} : Answer{};
}

}  // namespace test
