import { chromium } from '@playwright/test'
import { execSync } from 'node:child_process'
const base='http://127.0.0.1:8420'
const b=await chromium.launch({executablePath:process.env.CH??'/usr/bin/chromium-headless-shell',args:['--no-sandbox','--disable-gpu','--disable-quic','--no-first-run','--disable-background-networking','--disable-component-update','--disable-sync',...process.argv.slice(2)]})
function cpu(){ let o={}; for(const l of execSync("for p in /proc/[0-9]*; do echo \"$(tr '\\0' ' ' <$p/cmdline | cut -c1-3000) @@ $(cut -d')' -f2 $p/stat)\"; done 2>/dev/null",{encoding:'utf8',maxBuffer:1<<26}).split('\n')){ const [c,r]=l.split(' @@ '); if(!r||!c.includes('chrom'))continue; const f=r.trim().split(' '); const k=(/--type=(\S+)/.exec(c)||[,'browser'])[1]; o[k]=(o[k]||0)+Number(f[11])+Number(f[12]) } return o }
let c
for(let i=0;i<6;i++){ if(i==0||process.env.FRESH){ c=await b.newContext({viewport:{width:1280,height:800},reducedMotion:'reduce'}); await c.request.post(base+'/api/v1/session',{data:{login:'technician',password:'lend-a-phone'}})}
 const p=await c.newPage(); const s=await c.newCDPSession(p); await s.send('Performance.enable')
 const t=Date.now(); const u=cpu()
 await p.goto(base+(process.env.AT??'/ledger?maker=brannock&model=lyra-5')); await p.waitForSelector('[data-testid=package], main h1',{timeout:20000}); const took=Date.now()-t
 await p.waitForTimeout(1500)
 const m=Object.fromEntries((await s.send('Performance.getMetrics')).metrics.map(x=>[x.name,x.value])); const v=cpu(); 
 console.log(i,'rows',took,'task',m.TaskDuration.toFixed(2),'script',m.ScriptDuration.toFixed(2),'compile',(m.V8CompileDuration||0).toFixed(3),'layout',m.LayoutDuration.toFixed(2),'style',m.RecalcStyleDuration.toFixed(2),'cpu', Object.keys(v).map(k=>k+' '+((v[k]-(u[k]||0))*10)).join(', '))
 await p.close() }
await b.close()
