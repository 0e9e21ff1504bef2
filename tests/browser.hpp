#pragma once
/// A real browser without a window, driven over the W3C WebDriver protocol; and a server as a process.

#include <nlohmann/json.hpp>

#include <sys/types.h>
#include <memory>
#include <string>
#include <vector>

namespace test {

using Json = nlohmann::json;

/// A program started with a pipe on its standard output; ended with the object.
class Process {
public:
    explicit Process(const std::vector<std::string>& command);
    ~Process();
    Process(const Process&) = delete;
    Process& operator=(const Process&) = delete;
    /// The first line of output that holds `text`; empty when there is none within 30 s.
    std::string line_with(const std::string& text);
    void signal(int number) const;
    /// Waits for its end, at most 30 s: exit code, or -1.
    int wait();

private:
    pid_t pid_ = -1;
    int out_ = -1;
    std::string rest_;
};

class Browser {
public:
    Browser();
    ~Browser();
    Browser(const Browser&) = delete;
    Browser& operator=(const Browser&) = delete;
    /// Opens an address and waits until the page says that it is ready.
    void open(const std::string& address);
    /// Runs a function's body and gives what it returns; promises are waited for.
    Json run(const std::string& body);
    /// Waits until a body returns something true, at most 60 s; false when it does not.
    bool until(const std::string& body);
    /// A press and release of the pointer at a place of the window.
    void click(int x, int y);
    void drag(int x, int y, int to_x, int to_y);
    void key(const std::string& key);
    /// What the console has told since it was last asked, warnings and worse.
    std::vector<std::string> console();
    /// What is seen, as a PNG file.
    void picture(const std::string& file);

private:
    Json ask(const char* method, const std::string& path, const Json& body = {});
    void act(const Json& actions);
    struct Client;
    Process driver_;
    std::unique_ptr<Client> client_;
    std::string session_;
};

/// A plain request: status and body; 0 where nothing answers.
struct Answer {
    int status = 0;
    std::string body;
};
[[nodiscard]] Answer get(const std::string& base, const std::string& path, const std::string& token = "", const std::string& host = "");
[[nodiscard]] Answer post(const std::string& base, const std::string& path, const std::string& body, const std::string& token = "");

}  // namespace test
