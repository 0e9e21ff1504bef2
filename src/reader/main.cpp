// Reads one CAD file with the kernel and hands its bodies over through pipes. A program of its own: a kernel that crashes, hangs or
// takes memory without end ends itself, not the program that asked (io/reader_process.hpp starts it).
#include "io/body_blob.hpp"
#include "io/reader_messages.hpp"
#include "reader/kernel_document.hpp"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/prctl.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <charconv>
#include <csignal>
#include <cstring>
#include <new>
#include <numeric>

namespace halvo::io {
namespace {

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

struct Task {
    FileKind kind{};
    std::filesystem::path file, scratch;
    std::string shown;
    std::uint64_t memory = 0;   // bytes
    std::uint64_t seconds = 0;  // of processor time
    std::vector<int> pipes;     // one for each process that converts parts; the first tells of progress and the tree
};

void confine(const Task& task, pid_t parent) {
    ::prctl(PR_SET_PDEATHSIG, SIGKILL);
    if (::getppid() != parent) ::_exit(1);
    for (int s : {SIGINT, SIGHUP, SIGPIPE}) std::signal(s, SIG_IGN);  // the parent decides when to stop
    const int nowhere = ::open("/dev/null", O_RDWR);
    if (nowhere >= 0) ::dup2(nowhere, 0), ::dup2(nowhere, 1), ::dup2(nowhere, 2);
    const rlimit no_core{0, 0}, cpu{task.seconds, task.seconds + 5};
    ::setrlimit(RLIMIT_CORE, &no_core);
    ::setrlimit(RLIMIT_CPU, &cpu);
#ifndef __SANITIZE_ADDRESS__
    const rlimit memory{task.memory, task.memory};
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
void answering(int fd, const Task& task, const std::function<void()>& work) {
    try {
        work();
    } catch (const std::bad_alloc&) {
        send(fd, Message::error,
             fmt::format("reading it takes more than the {} MB of memory that a file of its size is given: it is damaged, or has far more "
                         "in it than its size tells; export it again from CAD, or in parts",
                         task.memory >> 20));
    } catch (const std::exception& e) {
        send(fd, Message::error, e.what());
    } catch (...) {
        send(fd, Message::error, "the reader failed; export the file again from CAD");
    }
}

// Its own share in this process, the others in forked copies: the kernel's document is open in all of them.
void convert_all(const KernelDocument& document, const Task& task) {
    const auto shares = dealt(document.tree().weight, task.pipes.size());
    std::vector<pid_t> helpers;
    const pid_t self = ::getpid();
    for (std::size_t w = 1; w < task.pipes.size(); ++w) {
        const auto its_share = [&] { answering(task.pipes[w], task, [&] { convert(document, shares[w], task.pipes[w]); }); };
        const pid_t pid = ::fork();
        if (pid == 0) {
            ::prctl(PR_SET_PDEATHSIG, SIGKILL);
            if (::getppid() != self) ::_exit(1);
            its_share();
            ::_exit(0);
        }
        if (pid > 0) helpers.push_back(pid);
        else its_share();
        ::close(task.pipes[w]);
    }
    convert(document, shares[0], task.pipes[0]);
    for (pid_t pid : helpers) {
        int status = 0;
        while (::waitpid(pid, &status, 0) < 0 && errno == EINTR) {
        }
        if (WIFSIGNALED(status)) ::raise(WTERMSIG(status) == SIGKILL ? SIGXCPU : WTERMSIG(status));
    }
}

void run(const Task& task) {
    const int out = task.pipes[0];
    answering(out, task, [&] {
        const KernelDocument document(task.file, task.kind, task.shown, task.scratch,
                                      [&](double share) { send(out, Message::progress, std::string(reinterpret_cast<const char*>(&share), sizeof share)); });
        send(out, Message::tree, pack_tree(document.tree()));
        convert_all(document, task);
    });
}

std::uint64_t number(const char* text) {
    std::uint64_t n = 0;
    const char* end = text + std::strlen(text);
    if (const auto [at, error] = std::from_chars(text, end, n); error != std::errc() || at != end) throw std::invalid_argument(text);
    return n;
}

}  // namespace
}  // namespace halvo::io

int main(int count, char** words) {
    using namespace halvo::io;
    if (count != 9) {
        fmt::print(stderr, "halvo-reader is started by halvo and its library to read CAD files; use halvo survey FILE instead\n");
        return 2;
    }
    Task task;
    pid_t parent = 0;
    try {
        task.kind = static_cast<FileKind>(number(words[1]));
        task.file = words[2], task.shown = words[3], task.scratch = words[4];
        task.memory = number(words[5]), task.seconds = number(words[6]);
        parent = static_cast<pid_t>(number(words[7]));
        for (std::uint64_t i = 0; i < number(words[8]); ++i) task.pipes.push_back(reader_first_pipe + static_cast<int>(i));
    } catch (const std::invalid_argument& e) {
        fmt::print(stderr, "halvo-reader: {} is no number; it is started by halvo, not by hand\n", e.what());
        return 2;
    }
    confine(task, parent);
    run(task);
    ::_exit(0);  // the kernel's own tidying up takes longer than reading a small file
}
