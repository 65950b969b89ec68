fn main() -> std::process::ExitCode {
    mend_keel::cli::main()
}
