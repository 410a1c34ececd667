import { chromium } from '@playwright/test'
import { execSync } from 'node:child_process'
const base='http://127.0.0.1:8420'
function cpu(){ let o={}; for(const l of execSync("for p in /proc/[0-9]*; do echo \"$(tr '\\0' ' ' <$p/cmdline | cut -c1-3000) @@ $(cut -d')' -f2 $p/stat)\"; done 2>/dev/null",{encoding:'utf8',maxBuffer:1<<26}).split('\n')){ const [c,r]=l.split(' @@ '); if(!r||!c.includes('chrom'))continue; const f=r.trim().split(' '); const k=(/--type=(\S+)/.exec(c)||[,'browser'])[1]; o[k]=(o[k]||0)+Number(f[11])+Number(f[12]) } return o }
const b=await chromium.launch({executablePath:'/usr/bin/chromium-headless-shell',args:['--no-sandbox','--disable-gpu','--disable-quic','--no-first-run','--disable-background-networking','--disable-component-update','--disable-sync']})
const c=await b.newContext({viewport:{width:1280,height:800},reducedMotion:'reduce'}); await c.request.post(base+'/api/v1/session',{data:{login:'keeper',password:'lend-a-phone'}})
for(const at of ['/ledger?maker=brannock&model=lyra-5','/desk','/bench','/review','/installation','/profiles']){ const p=await c.newPage(); await p.goto(base+at); await p.waitForTimeout(4000); const u=cpu(); await p.waitForTimeout(8000); const v=cpu(); console.log(at,Object.keys(v).map(k=>k+' '+((v[k]-(u[k]||0))*10/8).toFixed(0)+' ms/s').join(', ')); await p.close() }
await b.close()
