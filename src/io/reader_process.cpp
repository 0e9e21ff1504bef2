#include "io/reader_process.hpp"

#include "io/left_behind.hpp"

#include "core/parallel.hpp"
#include "io/blob.hpp"
#include "io/body_blob.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <poll.h>
#include <sys/prctl.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <csignal>
#include <cstring>
#include <new>
#include <numeric>

namespace halvo::io {
namespace {

enum class Message : char { progress = 'p', tree = 't', part = 'b', error = 'e', done = 'd' };

// ---- the child's side

bool send_all(int fd, const char* data, std::size_t n) {
    while (n > 0) {
        const ssize_t k = ::write(fd, data, n);
        if (k < 0 && errno == EINTR) continue;
        if (k <= 0) return false;
        data += k, n -= static_cast<std::size_t>(k);
    }
    return true;
}

void send(int fd, Message kind, const std::string& payload) {
    std::string head(1, static_cast<char>(kind));
    const std::uint64_t n = payload.size();
    head.append(reinterpret_cast<const char*>(&n), sizeof n);
    // A parent that is gone needs no answer.
    if (!send_all(fd, head.data(), head.size()) || !send_all(fd, payload.data(), payload.size())) ::_exit(1);
}

std::string pack_tree(const Tree& t) {
    BlobOut out;
    const auto text = [&](const std::string& s) { out.put(std::vector<char>(s.begin(), s.end())); };
    text(t.unit);
    out.put(t.parts).put(t.loose).put(static_cast<std::uint64_t>(t.instances.size()));
    for (const Instance& i : t.instances) {
        out.put(i.part).put(i.colour[0]).put(i.colour[1]).put(i.colour[2]);
        for (int r = 0; r < 3; ++r)
            for (int c = 0; c < 4; ++c) out.put(i.place(r, c));
        text(i.name), text(i.path), text(i.layer);
    }
    return out.bytes();
}

Tree unpack_tree(std::string bytes) {
    BlobIn in(std::move(bytes));
    const auto text = [&] {
        const auto v = in.get<std::vector<char>>();
        return std::string(v.begin(), v.end());
    };
    Tree t;
    t.unit = text();
    t.parts = in.get<int>(), t.loose = in.get<int>();
    t.instances.resize(static_cast<std::size_t>(in.get<std::uint64_t>()));
    for (Instance& i : t.instances) {
        i.part = in.get<int>();
        for (double& c : i.colour) c = in.get<double>();
        for (int r = 0; r < 3; ++r)
            for (int c = 0; c < 4; ++c) i.place(r, c) = in.get<double>();
        i.name = text(), i.path = text(), i.layer = text();
    }
    return t;
}

struct Limits {
    std::uint64_t memory = 0;   // bytes
    std::uint64_t seconds = 0;  // of processor time
};

// A sound file takes the kernel well under a hundred bytes of memory for each of its own, and well under a second a megabyte.
Limits limits_for(std::size_t bytes) {
    return {(std::uint64_t{3} << 30) + 400 * static_cast<std::uint64_t>(bytes), 60 + static_cast<std::uint64_t>(bytes) / 100000};
}

void confine(const Limits& limits, pid_t parent) {
    ::prctl(PR_SET_PDEATHSIG, SIGKILL);
    if (::getppid() != parent) ::_exit(1);
    for (int s : {SIGSEGV, SIGBUS, SIGFPE, SIGILL, SIGABRT, SIGSYS, SIGXCPU, SIGTERM}) std::signal(s, SIG_DFL);
    for (int s : {SIGINT, SIGHUP, SIGPIPE}) std::signal(s, SIG_IGN);  // the parent decides when to stop
    const int nowhere = ::open("/dev/null", O_RDWR);
    if (nowhere >= 0) ::dup2(nowhere, 0), ::dup2(nowhere, 1), ::dup2(nowhere, 2);
    const rlimit no_core{0, 0}, cpu{limits.seconds, limits.seconds + 5};
    ::setrlimit(RLIMIT_CORE, &no_core);
    ::setrlimit(RLIMIT_CPU, &cpu);
#ifndef __SANITIZE_ADDRESS__
    const rlimit memory{limits.memory, limits.memory};
    ::setrlimit(RLIMIT_AS, &memory);
#endif
}

// Parts dealt out heaviest first, each to the worker that has least.
std::vector<std::vector<int>> dealt(const std::vector<int>& weight, std::size_t workers) {
    std::vector<int> order(weight.size());
    std::iota(order.begin(), order.end(), 0);
    std::stable_sort(order.begin(), order.end(), [&](int a, int b) { return weight[static_cast<std::size_t>(a)] > weight[static_cast<std::size_t>(b)]; });
    std::vector<std::vector<int>> out(workers);
    std::vector<long> load(workers, 0);
    for (int i : order) {
        const auto w = static_cast<std::size_t>(std::min_element(load.begin(), load.end()) - load.begin());
        out[w].push_back(i), load[w] += 1 + weight[static_cast<std::size_t>(i)];
    }
    return out;
}

void convert(const KernelDocument& document, const std::vector<int>& which, int fd) {
    for (int i : which) {
        send(fd, Message::part, std::string(reinterpret_cast<const char*>(&i), sizeof i) + pack(document.part(i)));
    }
    send(fd, Message::done, "");
}

// Runs `work`; every exception becomes a message.
void answering(int fd, const Limits& limits, const std::function<void()>& work) {
    try {
        work();
    } catch (const std::bad_alloc&) {
        send(fd, Message::error,
             fmt::format("reading it takes more than the {} MB of memory that a file of its size is given: it is damaged, or has far more "
                         "in it than its size tells; export it again from CAD, or in parts",
                         limits.memory >> 20));
    } catch (const std::exception& e) {
        send(fd, Message::error, e.what());
    } catch (...) {
        send(fd, Message::error, "the reader failed; export the file again from CAD");
    }
}

[[noreturn]] void run_child(const std::filesystem::path& file, FileKind kind, const std::string& shown, const std::filesystem::path& scratch,
                            const Limits& limits, const std::vector<int>& pipes, pid_t parent) {
    confine(limits, parent);
    answering(pipes[0], limits, [&] {
        const KernelDocument document(file, kind, shown, scratch, [&](double share) {
            send(pipes[0], Message::progress, std::string(reinterpret_cast<const char*>(&share), sizeof share));
        });
        send(pipes[0], Message::tree, pack_tree(document.tree()));
        const auto shares = dealt(document.tree().weight, pipes.size());
        std::vector<pid_t> helpers;
        const pid_t self = ::getpid();
        for (std::size_t w = 1; w < pipes.size(); ++w) {
            const pid_t pid = ::fork();
            if (pid == 0) {
                ::prctl(PR_SET_PDEATHSIG, SIGKILL);
                if (::getppid() != self) ::_exit(1);
                answering(pipes[w], limits, [&] { convert(document, shares[w], pipes[w]); });
                ::_exit(0);
            }
            if (pid > 0) helpers.push_back(pid);
            else answering(pipes[w], limits, [&] { convert(document, shares[w], pipes[w]); });
            ::close(pipes[w]);
        }
        convert(document, shares[0], pipes[0]);
        for (pid_t pid : helpers) {
            int status = 0;
            while (::waitpid(pid, &status, 0) < 0 && errno == EINTR) {
            }
            if (WIFSIGNALED(status)) ::raise(WTERMSIG(status) == SIGKILL ? SIGXCPU : WTERMSIG(status));
        }
    });
    ::_exit(0);
}

// ---- the parent's side

struct Pipe {
    int fd = -1;
    std::string buffer;
    bool done = false;
};

// The reader's own; it may be stopped at any time, so its parent removes it.
class ScratchFolder {
public:
    ScratchFolder() {
        clear_left_behind(std::filesystem::temp_directory_path(), "halvo-reader-");
        std::string name = (std::filesystem::temp_directory_path() / fmt::format("halvo-reader-{}-XXXXXX", ::getpid())).string();
        if (::mkdtemp(name.data()) == nullptr) throw Error(ErrorKind::stage, "no folder can be made in " + name + "; free some space there, or set TMPDIR");
        path_ = name;
    }
    ~ScratchFolder() {
        std::error_code ec;
        std::filesystem::remove_all(path_, ec);
    }
    ScratchFolder(const ScratchFolder&) = delete;
    ScratchFolder& operator=(const ScratchFolder&) = delete;
    [[nodiscard]] const std::filesystem::path& path() const { return path_; }

private:
    std::filesystem::path path_;
};

class Parent {
public:
    Parent(std::filesystem::path file, FileKind kind, std::string shown, const Limits& limits, const Observer& observer)
        : kind_(kind), shown_(std::move(shown)), limits_(limits), observer_(observer) {
        const auto workers = static_cast<std::size_t>(std::clamp(thread_count(), 1, 8));
        std::vector<int> ends;
        for (std::size_t w = 0; w < workers; ++w) {
            int fd[2];
            if (::pipe2(fd, O_CLOEXEC) != 0) throw Error(ErrorKind::stage, "no pipe can be opened for the reader; close other programs");
            pipes_.push_back({fd[0], {}, false});
            ends.push_back(fd[1]);
        }
        const pid_t self = ::getpid();
        child_ = ::fork();
        if (child_ == 0) run_child(file, kind, shown_, scratch_.path(), limits, ends, self);
        for (int fd : ends) ::close(fd);
        if (child_ < 0) throw Error(ErrorKind::stage, "no process can be started for the reader; close other programs");
    }
    ~Parent() {
        if (child_ > 0) ::kill(child_, SIGKILL), reap();
        for (const Pipe& p : pipes_) ::close(p.fd);
    }
    Parent(const Parent&) = delete;
    Parent& operator=(const Parent&) = delete;

    KernelFile run() {
        while (std::any_of(pipes_.begin(), pipes_.end(), [](const Pipe& p) { return p.fd >= 0; })) {
            observer_.tell("read", share_);
            std::vector<pollfd> waiting;
            for (const Pipe& p : pipes_) waiting.push_back({p.fd, POLLIN, 0});
            if (::poll(waiting.data(), waiting.size(), 100) <= 0) continue;
            for (std::size_t i = 0; i < pipes_.size(); ++i)
                if (waiting[i].revents != 0) take(pipes_[i]);
        }
        const int status = reap();
        if (WIFSIGNALED(status)) fail(ended_by(WTERMSIG(status)));
        const bool whole = have_tree_ && received_ == out_.tree.parts && std::all_of(pipes_.begin(), pipes_.end(), [](const Pipe& p) { return p.done; });
        if (!whole) fail(fmt::format("the {} reader gave up half-way; export the file again from CAD", kind_name(kind_)));
        return std::move(out_);
    }

private:
    [[noreturn]] void fail(const std::string& what) { throw Error(ErrorKind::input, shown_ + ": " + what); }

    std::string ended_by(int signal) const {
        if (signal == SIGXCPU || signal == SIGKILL)
            return fmt::format(
                "the {} reader came to no end within the {} s of processor time that a file of its size is given: it is damaged, or has far "
                "more in it than its size tells; export it again from CAD, or in parts",
                kind_name(kind_), limits_.seconds);
        return fmt::format("the {} reader crashed on it ({}); the file is damaged, export it again from CAD", kind_name(kind_), ::strsignal(signal));
    }

    int reap() {
        int status = 0;
        while (child_ > 0 && ::waitpid(child_, &status, 0) < 0 && errno == EINTR) {
        }
        child_ = -1;
        return status;
    }

    void take(Pipe& p) {
        static thread_local std::vector<char> block(1 << 20);
        const ssize_t n = ::read(p.fd, block.data(), block.size());
        if (n < 0 && (errno == EINTR || errno == EAGAIN)) return;
        if (n <= 0) {
            ::close(p.fd);
            p.fd = -1;
            return;
        }
        p.buffer.append(block.data(), static_cast<std::size_t>(n));
        std::size_t at = 0;
        while (p.buffer.size() - at >= 9) {
            std::uint64_t length = 0;
            std::memcpy(&length, p.buffer.data() + at + 1, sizeof length);
            if (p.buffer.size() - at - 9 < length) break;
            handle(p, static_cast<Message>(p.buffer[at]), p.buffer.substr(at + 9, static_cast<std::size_t>(length)));
            at += 9 + static_cast<std::size_t>(length);
        }
        p.buffer.erase(0, at);
    }

    void handle(Pipe& p, Message kind, std::string payload) {
        if (kind == Message::error) fail(payload);
        if (kind == Message::done) p.done = true;
        if (kind == Message::progress) std::memcpy(&share_, payload.data(), std::min(sizeof share_, payload.size()));
        if (kind == Message::tree) {
            out_.tree = unpack_tree(std::move(payload));
            out_.parts.resize(static_cast<std::size_t>(out_.tree.parts));
            have_tree_ = true, share_ = 0.5;
        }
        if (kind == Message::part) {
            int i = -1;
            std::memcpy(&i, payload.data(), std::min(sizeof i, payload.size()));
            out_.parts.at(static_cast<std::size_t>(i)) = unpack_body(payload.substr(sizeof(int)));
            ++received_;
            share_ = 0.5 + 0.4 * received_ / std::max(1, out_.tree.parts);
        }
    }

    ScratchFolder scratch_;
    FileKind kind_;
    std::string shown_;
    Limits limits_;
    const Observer& observer_;
    std::vector<Pipe> pipes_;
    pid_t child_ = -1;
    KernelFile out_;
    bool have_tree_ = false;
    int received_ = 0;
    double share_ = 0.01;
};

}  // namespace

KernelFile read_in_process(const std::filesystem::path& file, FileKind kind, const std::string& shown, std::size_t bytes, const Observer& observer) {
    return Parent(file, kind, shown, limits_for(bytes), observer).run();
}

}  // namespace halvo::io
