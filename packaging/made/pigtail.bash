_pigtail() {
    local word=${COMP_WORDS[COMP_CWORD]} words=''
    if [ "$COMP_CWORD" -eq 1 ]; then
        COMPREPLY=($(compgen -W 'demo open check solve suggest compare stock next runbook pack bench sheet schema report completion shots' -- "$word"))
        return
    fi
    case "${COMP_WORDS[1]}" in
        demo) words='--help --export' ;;
        open) words='--help' ;;
        check) words='--help --json' ;;
        solve) words='--help --json --limit --memory' ;;
        suggest) words='--help --for --series --plausible --stock --now --as-loud-as --json' ;;
        compare) words='--help --json' ;;
        stock) words='--help' ;;
        next) words='--help --json' ;;
        runbook) words='--help --back --story --json' ;;
        pack) words='--help --out' ;;
        bench) words='--help --port' ;;
        sheet) words='--help --out' ;;
        schema) words='--help' ;;
        report) words='--help --job' ;;
        completion) words='--help' ;;
        shots) words='--help' ;;
    esac
    COMPREPLY=($(compgen -W "$words" -- "$word") $(compgen -f -- "$word"))
}
complete -o filenames -F _pigtail pigtail
