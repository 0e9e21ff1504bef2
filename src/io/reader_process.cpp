#include "io/reader_process.hpp"

#include "io/left_behind.hpp"

#include "core/parallel.hpp"
#include "io/body_blob.hpp"
#include "io/reader_messages.hpp"
#include "io/reader_program.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <poll.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <csignal>
#include <cstring>

namespace halvo::io {
namespace {

struct Limits {
    std::uint64_t memory = 0;   // bytes
    std::uint64_t seconds = 0;  // of processor time
};

// A sound file takes the kernel well under a hundred bytes of memory for each of its own, and well under a second a megabyte.
Limits limits_for(std::size_t bytes) {
    return {(std::uint64_t{3} << 30) + 400 * static_cast<std::uint64_t>(bytes), 60 + static_cast<std::uint64_t>(bytes) / 100000};
}

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

// Starts the helper with these words; `ends` become its pipes. Started anew instead of forked from the caller, whose other threads may hold
// locks. In a group of its own, so that a Ctrl-C meant for the caller does not end it first. -1 when no process can be had.
pid_t start(const std::vector<int>& ends, std::vector<std::string> words) {
    const std::string program = reader_program().string();
    words.insert(words.begin(), program);
    std::vector<char*> argv;
    for (std::string& w : words) argv.push_back(w.data());
    argv.push_back(nullptr);
    posix_spawn_file_actions_t files;
    posix_spawnattr_t attributes;
    ::posix_spawn_file_actions_init(&files);
    ::posix_spawnattr_init(&attributes);
    for (std::size_t i = 0; i < ends.size(); ++i) ::posix_spawn_file_actions_adddup2(&files, ends[i], reader_first_pipe + static_cast<int>(i));
    sigset_t all, none;
    ::sigfillset(&all), ::sigemptyset(&none);
    ::posix_spawnattr_setsigdefault(&attributes, &all);
    ::posix_spawnattr_setsigmask(&attributes, &none);
    ::posix_spawnattr_setflags(&attributes, POSIX_SPAWN_SETSIGDEF | POSIX_SPAWN_SETSIGMASK | POSIX_SPAWN_SETPGROUP);
    pid_t pid = -1;
    if (::posix_spawn(&pid, program.c_str(), &files, &attributes, argv.data(), environ) != 0) pid = -1;
    ::posix_spawn_file_actions_destroy(&files);
    ::posix_spawnattr_destroy(&attributes);
    return pid;
}

class Parent {
public:
    Parent(const std::filesystem::path& file, FileKind kind, std::string shown, const Limits& limits, const Observer& observer)
        : kind_(kind), shown_(std::move(shown)), limits_(limits), observer_(observer) {
        const auto workers = static_cast<std::size_t>(std::clamp(thread_count(), 1, 8));
        std::vector<int> ends;
        for (std::size_t w = 0; w < workers; ++w) {
            int fd[2];
            if (::pipe2(fd, O_CLOEXEC) != 0) throw Error(ErrorKind::stage, "no pipe can be opened for the reader; close other programs");
            pipes_.push_back({fd[0], {}, false});
            // Out of the way of the numbers that the helper's ends get.
            ends.push_back(::fcntl(fd[1], F_DUPFD_CLOEXEC, 64));
            ::close(fd[1]);
            if (ends.back() < 0) throw Error(ErrorKind::stage, "no pipe can be opened for the reader; close other programs");
        }
        child_ = start(ends, {std::to_string(static_cast<int>(kind)), file.string(), shown_, scratch_.path().string(), std::to_string(limits.memory),
                              std::to_string(limits.seconds), std::to_string(::getpid()), std::to_string(ends.size())});
        for (int fd : ends) ::close(fd);
        if (child_ < 0) {
            for (const Pipe& p : pipes_) ::close(p.fd);
            throw Error(ErrorKind::stage, "no process can be started for the reader; close other programs");
        }
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
        else if (kind == Message::done) p.done = true;
        else if (kind == Message::progress) std::memcpy(&share_, payload.data(), std::min(sizeof share_, payload.size()));
        else if (kind == Message::tree) {
            out_.tree = unpack_tree(std::move(payload));
            out_.parts.resize(static_cast<std::size_t>(out_.tree.parts));
            have_tree_ = true, share_ = 0.5;
        } else if (kind == Message::part) {
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
