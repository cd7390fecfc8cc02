# Completion for rivlen-cli. The options are asked of the program itself, so that this file never falls behind.
_rivlen_cli() {
    local current=${COMP_WORDS[COMP_CWORD]} previous=${COMP_WORDS[COMP_CWORD - 1]} command=${COMP_WORDS[1]}
    if ((COMP_CWORD == 1)); then
        mapfile -t COMPREPLY < <(compgen -W "info look split corrections teach assess propose mix process putback handover batch --help --version" -- "$current")
        return
    fi
    case $previous in
        --format) mapfile -t COMPREPLY < <(compgen -W "wav32 wav24 flac" -- "$current"); return ;;
        --purpose) mapfile -t COMPREPLY < <(compgen -W "natural alone over-pictures" -- "$current"); return ;;
        --length) mapfile -t COMPREPLY < <(compgen -W "short long" -- "$current"); return ;;
        --stem) mapfile -t COMPREPLY < <(compgen -W "dialogue reverb music ambience voices drums bass rest" -- "$current"); return ;;
    esac
    if [[ $current == -* ]]; then
        local options
        options=$("${COMP_WORDS[0]}" "$command" --help 2>/dev/null | grep -oE -- '(^|[ ,])--?[a-z][a-z-]*' | tr -d ' ,')
        mapfile -t COMPREPLY < <(compgen -W "$options" -- "$current")
    else
        compopt -o filenames
        mapfile -t COMPREPLY < <(compgen -f -- "$current")
    fi
}
complete -F _rivlen_cli rivlen-cli
